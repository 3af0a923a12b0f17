import { VueQueryPlugin } from "@tanstack/vue-query";
import { flushPromises, mount } from "@vue/test-utils";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { computed, ref } from "vue";

import type { Column } from "@/api/client";

import { sub } from "./columns";
import BlankRule from "./columns/BlankRule.vue";
import { type Lane, PLAIN } from "./columns/lanes";
import { tripKey } from "./context";
import { column, trip } from "./example";
import EmptiedCells from "./review/EmptiedCells.vue";
import type { Answer } from "./rows/deciding";

const phone = (values: Partial<Column> = {}): Column =>
  column({ column: "c1", header: "Phone", field: "phone", label: "Phone", ...values });
const ANSWERS: Answer[] = [
  { answer: "clear", says: "Clear this field", needs_record: false, argument: "", needs_value: false },
  { answer: "leave", says: "Leave it", needs_record: false, argument: "", needs_value: false },
];
const words = (text: string): string => text.replace(/\s+/g, " ").trim();

describe("the rule of blank cells", () => {
  const rule = (own: Partial<Lane> = {}, others = 0) =>
    mount(BlankRule, {
      props: { column: phone({ filled_before: 2 }), lane: { ...PLAIN, ...own }, others },
      global: { stubs: { RouterLink: true } },
      attachTo: document.body,
    });

  it("reads as a sentence", () => {
    const plain = words(rule().text());
    expect(plain).toContain("A blank cell leaves the record as it is. A filled one is written to every field.");
    expect(plain).toContain("2 cells are left: the application's field is filled already.");
    const other = rule({ blank: "default", default: "none", updates: true, only_empty: true }, 3);
    expect(words(other.text())).toContain("A blank cell stands for a default: in all records. A filled one");
    expect((other.get("input").element as HTMLInputElement).value).toBe("none");
    expect(words(other.get("button.btn").text())).toBe("Only empty fields, in 3 other columns too");
  });

  it("keeps a default once it is typed, and not before", async () => {
    const one = rule({ only_empty: true });
    await one.get("button[aria-label^='A blank cell']").trigger("click");
    const option = [...document.querySelectorAll("[role=option]")].find((o) => o.textContent.includes("default"));
    option?.dispatchEvent(new MouseEvent("click", { bubbles: true }));
    await flushPromises();
    expect(one.emitted("change")).toBeUndefined();
    await one.get("input").setValue("+44 20 7946 0999");
    await one.get("form").trigger("submit");
    const said = { blank: "default", default: "+44 20 7946 0999", updates: false, only_empty: true };
    expect(one.emitted("change")?.at(-1)).toMatchObject([said]);
  });

  it("says in the column's head what was emptied", () => {
    expect(sub(phone({ emptied: 3 }))).toBe("3 emptied, left");
    expect(sub(phone({ emptied: 3, changed: 2 }))).toBe("2 changed · 3 emptied");
  });
});

describe("emptied cells", () => {
  let asked: unknown[] = [];
  beforeEach(() => {
    asked = [];
    vi.stubGlobal("fetch", async (request: Request) => {
      asked.push(await request.clone().json());
      return Response.json(trip());
    });
  });
  afterEach(() => {
    vi.unstubAllGlobals();
  });
  const cells = (row?: { id: number; sent: string; answers: Answer[] }) =>
    mount(EmptiedCells, {
      props: { column: phone({ emptied: 3, emptied_answers: ANSWERS }), row },
      global: {
        plugins: [VueQueryPlugin],
        provide: {
          [tripKey as symbol]: {
            trip: ref(trip()),
            mayPrepare: computed(() => true),
            set: vi.fn(),
            refresh: async () => {},
          },
        },
      },
    });

  it("are cleared for one row or for all, by what was asked", async () => {
    const one = cells({ id: 11, sent: "38.50", answers: ANSWERS });
    expect(words(one.text())).toContain("It went out as 38.50. The record is left as it is.");
    await one.findAll("button")[0]?.trigger("click");
    await flushPromises();
    const all = cells();
    expect(words(all.text())).toContain("3 cells were filled when the sheet went out.");
    await all.findAll("button")[0]?.trigger("click");
    await flushPromises();
    const both = { plan: 5, code: "emptied", field: "phone", answer: "clear", argument: "" };
    expect(asked).toEqual([{ ...both, rows: [11] }, both]);
  });
});
