import { VueQueryPlugin } from "@tanstack/vue-query";
import { flushPromises, mount, type VueWrapper } from "@vue/test-utils";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { computed, ref } from "vue";

import type { Row, TripDetail } from "@/api/client";
import TheLine from "@/parts/TheLine.vue";
import { router } from "@/router";
import { notices } from "@/services/notices";

import ApplyDialog from "./apply/ApplyDialog.vue";
import ApplyStation from "./apply/ApplyStation.vue";
import { following } from "./apply/following";
import WhatIsWritten from "./apply/WhatIsWritten.vue";
import { sub, useArranged } from "./columns";
import { tripKey } from "./context";
import { badRow, column, heldRow, pass, trip } from "./example";
import OpenList from "./OpenList.vue";
import RowPanel from "./rows/RowPanel.vue";

// What stays mounted would go on asking under the next tests.

let asked: { path: string; body: unknown }[] = [];
let answer: () => Response;
let story: object = {};
let set = vi.fn();

beforeEach(() => {
  asked = [];
  story = { says: [], decisions: [] };
  set = vi.fn();
  vi.spyOn(router, "push").mockResolvedValue(undefined);
  notices.splice(0);
  answer = () => Response.json(trip());
  vi.stubGlobal("fetch", async (request: Request) => {
    const path = new URL(request.url, "http://localhost").pathname;
    if (/rows\/\d+$/.test(path)) return Response.json(story);
    if (path.endsWith("/picture")) return Response.json(null, { status: 404 });
    asked.push({ path, body: request.method === "POST" ? await request.clone().json() : null });
    return answer();
  });
});
afterEach(() => {
  vi.unstubAllGlobals();
  document.body.innerHTML = "";
});

const provided = (now: TripDetail, mayPrepare = true) => ({
  plugins: [router, VueQueryPlugin],
  provide: {
    [tripKey as symbol]: { trip: ref(now), mayPrepare: computed(() => mayPrepare), set, refresh: async () => {} },
  },
});
const panel = (row: Row, now = trip(), mayPrepare = true) =>
  mount(RowPanel, {
    props: { row, ready: true, column: -1 },
    global: provided(now, mayPrepare),
    attachTo: document.body,
  });
/** What was sent, without what was only asked for. */
const sent = (): typeof asked => asked.filter((one) => one.body);
const button = (wrapper: VueWrapper, words: string) =>
  wrapper.findAll("button").find((one) => one.text().includes(words));

describe("Apply", () => {
  it("goes to Outcome when the pass that was confirmed here has ended, also before it was seen under way", async () => {
    const went = vi.spyOn(router, "push").mockResolvedValue(undefined);
    const ended = (state: TripDetail["passes"][number]["state"], plan = 4) => ({ ...pass(), plan, state });
    for (const [passes, goes] of [
      [[], false],
      [[ended("running")], false],
      [[ended("interrupted")], false],
      [[ended("ended", 3)], false],
      [[ended("ended")], true],
    ] as const) {
      following.value = { trip: trip().id, plan: 4 };
      const shown = mount(ApplyStation, { global: provided(trip({ passes: [...passes] })) });
      await flushPromises();
      expect(went.mock.calls.length > 0, JSON.stringify(passes)).toBe(goes);
      expect(following.value === null).toBe(goes);
      shown.unmount();
    }
    following.value = null;
  });
});

describe("the panel of a row", () => {
  it("puts three values side by side where a row is held", () => {
    const three = panel(heldRow).find(".three").text().replace(/\s+/g, " ");
    expect(three).toContain("sent out38.50");
    expect(three).toContain("your file40.50");
    expect(three).toContain("application now41.00");
  });

  it("sends the answer for that cell, and takes the trip's new state", async () => {
    await button(panel(heldRow), "Keep application")!.trigger("click");
    await flushPromises();
    expect(asked[0]).toEqual({
      path: "/api/trips/7/decisions",
      body: { plan: 5, rows: [17], code: "", field: "daily_rate", answer: "application", argument: "" },
    });
    expect(set).toHaveBeenCalledOnce();
    expect(notices[0]?.text).toContain("1 row decided");
  });

  it("offers one answer for all rows that are asked the same", async () => {
    const shown = panel(heldRow);
    await button(shown, "Use the file, all 2")!.trigger("click");
    await flushPromises();
    expect(asked.at(-1)?.body).toEqual({
      plan: 5,
      code: "both-changed",
      field: "daily_rate",
      answer: "file",
      argument: "",
    });
  });

  it("names the cell that cannot be read, and lets it be left out", async () => {
    const shown = panel(badRow);
    expect(shown.get<HTMLInputElement>("input[name=fix]").element.value).toBe("4O.50");
    await button(shown, "Leave this cell out")!.trigger("click");
    await flushPromises();
    expect(asked[0]?.body).toMatchObject({ rows: [23], field: "daily_rate", answer: "leave out" });
  });

  it("keeps what was decided when the server refuses, and says why", async () => {
    answer = () => Response.json({ detail: "A pass is under way; decide again when it is done." }, { status: 422 });
    await button(panel(heldRow), "Set aside")!.trigger("click");
    await flushPromises();
    expect(set).not.toHaveBeenCalled();
    expect(notices[0]).toMatchObject({ text: "A pass is under way; decide again when it is done.", bad: true });
  });

  it("decides nothing about a row that is shown from the plan before", async () => {
    const shown = panel(heldRow);
    await shown.setProps({ ready: false });
    expect(button(shown, "Use the file")!.attributes("disabled")).toBeDefined();
    document.body.dispatchEvent(new KeyboardEvent("keydown", { key: "1", bubbles: true }));
    await flushPromises();
    expect(sent()).toEqual([]);
  });

  it("has no answers for someone who may only look, nor while a job runs", () => {
    expect(button(panel(heldRow, trip(), false), "Use the file")).toBeUndefined();
    const busy = panel(heldRow, trip({ job: { id: 1, kind: "plan", state: "running" } as TripDetail["job"] }));
    expect(button(busy, "Use the file")!.attributes("disabled")).toBeDefined();
  });

  it("asks which record an unclear row is, or whether it is not there", async () => {
    const answers = [
      { answer: "record" as const, says: "It is this record", needs_record: true, argument: "", needs_value: false },
      { answer: "new" as const, says: "It is not there", needs_record: false, argument: "", needs_value: false },
    ];
    const faults = [{ code: "unclear" as const, field: "", says: "No answer came.", answers }];
    const shown = panel({ ...heldRow, cells: [], faults, reason: "No answer came.", identifier: null });
    await shown.find("input[name=record]").setValue("700113");
    await shown.find("form").trigger("submit");
    await flushPromises();
    expect(asked[0]?.body).toMatchObject({ rows: [17], answer: "record", argument: "700113" });
    await button(shown, "It is not there")!.trigger("click");
    await flushPromises();
    expect(asked[1]?.body).toMatchObject({ answer: "new", argument: "" });
  });

  it("takes one's own last decision back, whatever others decided since", async () => {
    const made = { id: 12, answer: "aside", says: "Set aside", count: 3, of_records: false, mine: true };
    const decisions = [{ ...made, id: 13, mine: false }, made, { ...made, id: 11 }];
    answer = () => Response.json(asked.length === 1 ? decisions : trip());
    await button(panel(heldRow), "Undo my last decision")!.trigger("click");
    await flushPromises();
    expect(asked.map(({ path }) => path)).toEqual(["/api/trips/7/decisions", "/api/trips/7/decisions/12"]);
    expect(notices[0]?.text).toBe("Taken back: Set aside, 3 rows.");
  });

  it("explains the row, and undoes what was decided about it", async () => {
    const by = { username: "bram", name: "Bram Tidewell" };
    const decision = { id: 9, says: "Use the file", label: "Daily rate", count: 1, mine: false, by, at: "2026-11-30" };
    story = { says: ["It is the berth with the record ID 7."], decisions: [decision] };
    const shown = panel(heldRow);
    await flushPromises();
    expect(shown.get("[data-testid=story]").text()).toContain("It is the berth with the record ID 7.");
    expect(shown.text().replace(/\s+/g, " ")).toContain("Use the file, Daily rate: Bram Tidewell");
    await button(shown, "Undo")!.trigger("click");
    await flushPromises();
    expect(asked.map(({ path }) => path)).toEqual(["/api/trips/7/decisions/9"]);
  });

  it("answers nothing of a plan that no longer counts", () => {
    const stale = panel(heldRow, trip({ plan: { number: 5, current: false, made_at: "2026-11-16T09:12:00Z" } }));
    expect(button(stale, "Use the file")!.attributes("disabled")).toBeDefined();
  });

  it("tells an application's refusal in its own words", () => {
    const refused = {
      ...heldRow,
      state: "refused" as const,
      reason: "A let berth needs a holder.",
      refused_with: "422 · required-when-let",
      faults: [{ code: "refused" as const, field: "daily_rate", says: "A let berth needs a holder.", answers: [] }],
      warnings: ["The office looks at this one."],
    };
    const text = panel(refused).text();
    expect(text).toContain("The application answered:");
    expect(text).toContain("422 · required-when-let · daily_rate");
    expect(text).toContain("The application warns: The office looks at this one.");
    const meanwhile = { field: "daily_rate", says: "Daily rate was changed.", answers: [] };
    const faults = [{ code: "changed-meanwhile" as const, ...meanwhile }];
    expect(panel({ ...refused, refused_with: null, faults }).text()).toContain("It was not written:");
  });
});

describe("confirming a write", () => {
  const dialog = (now: TripDetail) =>
    mount(ApplyDialog, { props: { open: true }, global: provided(now), attachTo: document.body });
  const confirm = (): HTMLButtonElement => document.querySelector<HTMLButtonElement>("[data-testid=confirm]")!;

  it("says what, how many and where", async () => {
    dialog(trip());
    await flushPromises();
    const text = document.body.textContent?.replace(/\s+/g, " ") ?? "";
    expect(text).toContain("1 row will be written to Berths of the live application: these are the real records.");
    expect(text).toContain("2 rows that are held or rejected stay where they are");
    expect(text).toContain("38.50 → 40.50");
  });

  it("sends the plan that was seen, once, however often it is pressed", async () => {
    const open = dialog(trip());
    await open.setProps({ open: false });
    await open.setProps({ open: true });
    await flushPromises();
    confirm().click();
    confirm().click();
    await flushPromises();
    expect(asked.filter(({ path }) => path.endsWith("/passes"))).toEqual([
      {
        path: "/api/trips/7/passes",
        body: { plan: 5, atomic: false, stop_after: null, take_back: false, at: null, lift: "" },
      },
    ]);
  });

  it("asks for the number of records before it deletes", async () => {
    const deletes = { create: 0, update: 0, same: 0, delete: 42, held: 0, rejected: 0, aside: 0 };
    dialog(trip({ to_write: 42, summary: { verdicts: deletes, key: [], keys_not_read: 0, patterns_not_read: [] } }));
    await flushPromises();
    expect(confirm().disabled).toBe(true);
    const input = document.querySelector<HTMLInputElement>("[role=dialog] input.input")!;
    input.value = "42";
    input.dispatchEvent(new Event("input"));
    await flushPromises();
    expect(confirm().disabled).toBe(false);
  });

  it("stays open with the reason where the plan has changed", async () => {
    answer = () => Response.json({ detail: "The plan has changed since you saw it." }, { status: 422 });
    const open = dialog(trip());
    await flushPromises();
    confirm().click();
    await flushPromises();
    expect(document.querySelector("[role=alert]")?.textContent).toContain("has changed");
    expect(open.emitted("close")).toBeUndefined();
  });

  it("lists rows by verdict and changes by field", () => {
    const table = mount(WhatIsWritten, { global: provided(trip()) }).findAll("tr");
    expect(table.map((line) => line.text().replace(/\s+/g, " "))).toEqual([
      "△update1",
      "Daily rate1 change, 38.50 → 40.50",
    ]);
    const short = mount(WhatIsWritten, { props: { rowsOnly: true }, global: provided(trip()) }).findAll("tr");
    expect(short.map((line) => line.text())).toEqual(["△update1"]);
  });
});

describe("what is open", () => {
  const question = { of: "", options: [], answers: [], sure: false, state: null, field: "", count: 1, stops: true };
  const asked = (code: string, says: string) => ({ ...question, code, says, station: "columns" as const });
  const held = { ...question, code: "both-changed", says: "Also changed.", stops: false, count: 2 };
  const open = (items: TripDetail["open"]) => mount(OpenList, { global: provided(trip({ open: items })) });

  it("says first what stops everything, a few at once, with the way to answer", async () => {
    const list = open([1, 2, 3, 4, 5, 6].map((at) => asked("form", `Question ${at}?`)));
    expect(list.text()).toContain("6 questions are open, and nothing is sent before they are answered");
    expect(list.text()).not.toContain("Question 5?");
    expect(list.find("a").attributes("href")).toContain("/trips/7/columns");
    await list.find("button").trigger("click");
    expect(list.text()).toContain("Question 6?");
  });

  it("answers what is asked about the whole plan where it stands", async () => {
    const answers = [
      { answer: "go on" as const, says: "So many are meant", needs_record: false, argument: "", needs_value: false },
    ];
    const item = { ...asked("many-changes", "120 would be changed."), station: "review" as const, count: 120, answers };
    const list = open([item]);
    const answering = button(list, "So many are meant");
    expect(list.find("a").exists()).toBe(false);
    await answering?.trigger("click");
    await flushPromises();
    expect(sent()).toEqual([
      {
        path: "/api/trips/7/decisions",
        body: { plan: 5, code: "many-changes", field: "", answer: "go on", argument: "" },
      },
    ]);
  });

  it("shows what waits as a filter, and nothing where nothing is open", async () => {
    const list = open([{ ...held, station: "review", state: "held", field: "daily_rate" }]);
    expect(list.text()).toContain("2 held : Also changed.".replace(" :", ":"));
    await list.find("button").trigger("click");
    expect(list.emitted("choose")).toEqual([["held", "both-changed"]]);
    expect(open([]).find("section").exists()).toBe(false);
  });
});

describe("a trip's columns and stations", () => {
  it("say in the head what happens to each column", () => {
    const now = ref(
      trip({
        columns: [
          column({ is_key: true }),
          column({ kind: "decimal", changed: 884, difference: "1820.00" }),
          column({ carried: false }),
          column({ field: null, label: null, header: "bollard cond.", carried: false }),
          column({}),
        ],
      }),
    );
    expect(now.value.columns.map(sub)).toEqual([
      "key",
      "884 changed · Σ +1,820.00",
      "for reading",
      "not carried",
      "no change",
    ]);
    const columns = useArranged(now, ref(true)).columns.value;
    expect(columns[3]?.title).toBe("bollard cond.");
    expect(columns.map((one) => one.dim)).toEqual([false, false, true, true, false]);
  });

  it("puts the keys first, then what changes; the rest is folded and its number said", () => {
    const now = ref(
      trip({
        columns: [
          column({ label: "Notes" }),
          column({ label: "Rate", changed: 3 }),
          column({ label: "Berth", is_key: true }),
          column({ label: "Status", unreadable: 1 }),
        ],
      }),
    );
    const unfolded = ref(false);
    const { columns, unchanged } = useArranged(now, unfolded);
    expect(columns.value.map(({ title, at }) => [title, at])).toEqual([
      ["Berth", 2],
      ["Rate", 1],
      ["Status", 3],
    ]);
    expect(unchanged.value).toBe(1);
    unfolded.value = true;
    expect(columns.value.map(({ title }) => title)).toEqual(["Berth", "Rate", "Status", "Notes"]);
    now.value = trip({ columns: [column({ is_key: true }), column({ label: "Notes" })] });
    unfolded.value = false;
    expect(columns.value).toHaveLength(2);
    expect(unchanged.value).toBe(0);
  });

  it("are places to go at any time", async () => {
    const stations = (["file", "columns", "keys", "review", "apply", "outcome"] as const).map((name) => ({
      name,
      state: "done" as const,
      says: "12 rows need you",
      asks: name === "review",
    }));
    const line = mount(TheLine, { props: { trip: 7, stations, open: "keys" }, global: { plugins: [router] } });
    const links = line.findAll("a");
    expect(links.map((link) => link.attributes("href"))).toEqual(stations.map(({ name }) => `/trips/7/${name}`));
    expect(line.find("[aria-current=step]").text()).toContain("Keys");
    expect(line.findAll(".asks")).toHaveLength(1);
  });
});
