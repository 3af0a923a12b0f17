import { VueQueryPlugin } from "@tanstack/vue-query";
import { flushPromises, mount, type VueWrapper } from "@vue/test-utils";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { type Component, computed, ref } from "vue";

import type { TripDetail } from "@/api/client";
import { router } from "@/router";
import { pastedSheet } from "@/services/bringIn";

import { tripKey } from "../context";
import { badRow, cell, column, trip } from "../example";
import DamageCard from "../file/DamageCard.vue";
import NotLookedFor from "../file/NotLookedFor.vue";
import TotalsCard from "../totals/TotalsCard.vue";
import WhichRows from "../file/WhichRows.vue";
import CellCard from "./CellCard.vue";
import { blockOf } from "./editing";
import FixCell from "./FixCell.vue";
import ReplaceCard from "./ReplaceCard.vue";

let asked: { method: string; path: string; body: unknown; match: string | null }[] = [];
beforeEach(() => {
  asked = [];
  vi.stubGlobal("fetch", async (request: Request) => {
    const path = new URL(request.url, "http://localhost").pathname;
    const body: unknown = request.method === "GET" ? null : await request.clone().json();
    asked.push({ method: request.method, path, body, match: request.headers.get("If-Match") });
    return Response.json(trip());
  });
});
afterEach(() => {
  vi.unstubAllGlobals();
});

const rate = column({ column: "c1", header: "Daily rate", field: "daily_rate", kind: "decimal" });
const shown = (
  one: Component,
  props: Record<string, unknown>,
  now: TripDetail = trip({ columns: [column({}), rate] }),
) =>
  mount(one, {
    props,
    global: {
      plugins: [router, VueQueryPlugin],
      provide: {
        [tripKey as symbol]: {
          trip: ref(now),
          mayPrepare: computed(() => true),
          set: vi.fn(),
          refresh: async () => {},
        },
      },
    },
    attachTo: document.body,
  });
const words = (wrapper: VueWrapper): string => wrapper.text().replace(/\s+/g, " ").trim();
const changes = () => asked.filter((one) => one.method !== "GET");

describe("a block from a clipboard", () => {
  it("is cut at lines and tabs, but not within quotation marks", () => {
    expect(blockOf("a\tb\r\nc\td\r\n")).toEqual([
      ["a", "b"],
      ["c", "d"],
    ]);
    expect(blockOf('"a\nb"\t"say ""so"""\n\tx')).toEqual([
      ["a\nb", 'say "so"'],
      ["", "x"],
    ]);
    expect(blockOf('5" pipe\tx')).toEqual([['5" pipe', "x"]]);
    expect(blockOf("one")).toEqual([["one"]]);
  });

  it("is a sheet where it has lines of several cells", () => {
    expect(pastedSheet("berth\trate\nA-1\t5\n")?.name).toBe("pasted block.tsv");
    expect(pastedSheet("one line\tonly")).toBeUndefined();
    expect(pastedSheet("words\nin lines")).toBeUndefined();
  });
});

describe("the cell that is meant", () => {
  const row = {
    ...badRow,
    state: undefined,
    cells: [cell({ text: "B-1" }), cell({ text: "41", edited: true, file_text: "40" })],
  };

  it("says what the file has, and is set back to it", async () => {
    const card = shown(CellCard, { row, column: rate, below: 9 });
    expect(words(card)).toContain("Daily rate41 In the file: 40");
    await card
      .findAll("button")
      .find((one) => one.text() === "As in the file")
      ?.trigger("click");
    await flushPromises();
    const body = { kind: "cell", row_id: row.row_id, column: "c1", text: "40", damage: "" };
    expect(changes()).toEqual([{ method: "POST", path: "/api/trips/7/edits", body, match: '"3"' }]);
  });

  it("fills the rows that stand below it, all or as many as are said", async () => {
    const card = shown(CellCard, { row, column: rate, below: 9, shown: { state: "held" } });
    expect(card.get("input[name=rows-below]").attributes("placeholder")).toBe("9");
    await card.get("input").setValue("4");
    await card.get("form").trigger("submit");
    await flushPromises();
    expect(changes()[0]?.body).toMatchObject({ kind: "fill", rows: 4, shown: { state: "held" } });
  });
});

describe("other ways to edit", () => {
  it("a cell is put right where its reason is read", async () => {
    const fix = shown(FixCell, { rowId: 11, column: rate, cell: cell({ text: "4O", action: "unreadable" }) });
    expect(fix.get("button").attributes("disabled")).toBeDefined();
    await fix.get("input").setValue("40");
    await fix.get("form").trigger("submit");
    await flushPromises();
    expect(changes()[0]?.body).toMatchObject({ kind: "cell", row_id: 11, text: "40" });
    const done = shown(FixCell, {
      rowId: 11,
      column: rate,
      cell: cell({ text: "4O", edited_since: true, text_now: "40" }),
    });
    expect(words(done)).toContain("fixed, to be sent again (was 4O)");
  });

  it("something is replaced in a column or in all", async () => {
    const card = shown(ReplaceCard, { column: rate });
    await card.get("input[name=find]").setValue("O");
    await card.get("input[name=put]").setValue("0");
    await card.get("form").trigger("submit");
    await flushPromises();
    const replace = { find: "O", put: "0", pattern: false, whole: false, capitals: true };
    expect(changes()[0]?.body).toMatchObject({ kind: "replace", column: "c1", replace });
  });

  it("names the columns of which nobody knows whether they are damaged, and is silent where all was looked at", () => {
    const summary = { verdicts: trip().sum, key: [], keys_not_read: 0, patterns_not_read: ["daily_rate"] };
    const told = shown(NotLookedFor, {}, trip({ summary })).text();
    expect(told).toContain("Daily rate: whether a spreadsheet took zeros or figures away");
    expect(told).toContain("Look through this column yourself.");
    expect(shown(NotLookedFor, {}, trip()).text()).toBe("");
  });

  it("what a spreadsheet did is put back, by group or all at once", async () => {
    const one = {
      kind: "lost-zeros",
      field: "ring_no",
      meant: 0,
      column: "c1",
      header: "Holder",
      says: "zeros lost",
      count: 3,
      sure: 2,
      repairs: 3,
      rows: [3, 4, 5],
      text: "20194",
      repair: "0020194",
    };
    const other = { ...one, kind: "error", says: "error values", count: 9, sure: 9, repairs: 0, repair: null };
    const card = shown(DamageCard, {}, trip({ damage: [one, other] }));
    expect(words(card)).toContain("Holder: 3 cells, zeros lost (rows 3, 4, 5). 2 for certain.");
    expect(words(card)).toContain("20194 → 0020194");
    const buttons = card.findAll("button");
    expect(buttons.map((button) => button.text())).toEqual(["Put back 3 cells", "They are meant", "They are meant"]);
    await buttons[0]?.trigger("click");
    await flushPromises();
    expect(changes()[0]?.body).toMatchObject({ kind: "repair", plan: 5, damage: "lost-zeros", column: "c1" });
    await buttons[1]?.trigger("click");
    await flushPromises();
    expect(changes()[1]?.body).toMatchObject({ answer: "file", code: "damaged", field: "ring_no" });
  });
});

describe("totals and rows", () => {
  const totals = { filled: 3, different: 2, numbers: 3, sum: "121.50", least: "38.50", greatest: "44.00" };
  const now = trip({
    columns: [column({ totals: { ...totals, sum: "7" } }), { ...rate, totals }],
    expected: [{ what: "Daily rate", expected: "120", now: "121.50", off: "+1.50" }],
    planned_totals: { daily_rate: { sheet: "121.50", planned: "122.50", before: "118.00" } },
  });

  it("are those of number columns, beside what is planned, and checked", async () => {
    const card = shown(TotalsCard, { beside: "planned" }, now);
    expect(words(card)).not.toContain("Berth no.");
    expect(words(card)).toContain("Daily rate121.503 filled, 3 different, 38.50 to 44.00");
    expect(words(card)).toContain("as planned122.50application now118.00expected 120: 1.50 more");
    await card.get("button[aria-label='expect… a number of rows']").trigger("click");
    await card.get("input[name=expected]").setValue("1,200");
    await card.get("form").trigger("submit");
    await flushPromises();
    expect(changes()[0]).toMatchObject({ path: "/api/trips/7/expected", body: { rows: 1200 } });
  });

  it("only some rows are carried by a condition", async () => {
    const card = shown(WhichRows, {}, trip({ row_filter: { condition: "", left_out: 2 }, sum: { aside: 2 } }));
    expect(words(card)).toContain("2 rows are set aside, 2 of them left out by hand.");
    await card.get("input[name=only]").setValue("Done eq 'yes'");
    await card.get("form").trigger("submit");
    await flushPromises();
    expect(changes()[0]).toMatchObject({ path: "/api/trips/7/only", body: { condition: "Done eq 'yes'" } });
  });
});
