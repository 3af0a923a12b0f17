import { VueQueryPlugin } from "@tanstack/vue-query";
import { flushPromises, mount } from "@vue/test-utils";
import { afterEach, describe, expect, it } from "vitest";
import { computed } from "vue";

import type { Schemas } from "@/api/client";

import AskedBar from "./columns/AskedBar.vue";
import { fieldOptions, how, way } from "./columns/fields";
import { bareLane, lacks, type Lane, type OfferedTreatment, pieces, PLAIN, same, together } from "./columns/lanes";
import LaneSentence from "./columns/LaneSentence.vue";
import ValuesTable from "./columns/ValuesTable.vue";
import { tripKey } from "./context";
import { column, field, trip } from "./example";

const argument = (name: string, kind: string): Schemas["Argument"] => ({ name, kind, title: name, options: {} });
const MULTIPLY: OfferedTreatment = {
  do: "multiply",
  title: "multiply",
  says: "multiply by {by}",
  initial: { do: "multiply", by: "1" },
  arguments: [argument("by", "number")],
};
const BLANK: OfferedTreatment = {
  do: "blank",
  title: "treat as blank",
  says: "treat {texts} as blank",
  initial: { do: "blank", texts: [] },
  arguments: [argument("texts", "texts")],
};
const words = (text: string): string => text.replace(/\s+/g, " ").trim();

afterEach(() => (document.body.innerHTML = ""));

describe("a lane as data", () => {
  it("is the same whatever is told of it besides", () => {
    const told = { ...PLAIN, says: "Take it.", short: "" };
    expect(bareLane(told)).toEqual(PLAIN);
    expect(same(bareLane(told), PLAIN)).toBe(true);
    expect(same({ ...PLAIN, adds: true }, PLAIN)).toBe(false);
  });

  it("says what a treatment lacks as it begins", () => {
    expect(lacks(MULTIPLY, MULTIPLY.initial)).toBe(false);
    expect(lacks(BLANK, BLANK.initial)).toBe(true);
    expect(lacks(BLANK, { do: "blank", texts: ["n/k"] })).toBe(false);
    expect(pieces(MULTIPLY).map((piece) => piece.text ?? piece.argument?.name)).toEqual(["multiply by ", "by"]);
  });

  it("takes several answers as one change", () => {
    const made = together([
      { says: "", columns: { A: "a" }, lanes: {}, without: false, marks: false },
      {
        says: "",
        columns: { B: "" },
        lanes: { rate: { ...PLAIN, treatments: [{ do: "trim" }] } },
        without: false,
        marks: false,
      },
    ]);
    expect(made.columns).toEqual({ A: "a", B: "" });
    expect(made.lanes.rate).toMatchObject({ treatments: [{ do: "trim" }], separator: ";" });
  });
});

describe("the lane's sentence", () => {
  const sentence = (lane: Partial<Lane>, kind = "decimal", tried?: Schemas["TriedLane"]) =>
    mount(LaneSentence, {
      props: {
        modelValue: { ...PLAIN, ...lane },
        kind,
        header: "LOA (feet)",
        headers: ["LOA (feet)", "Beam"],
        treatments: [MULTIPLY, BLANK],
        tables: [],
        targets: [],
        tried,
      },
      attachTo: document.body,
    });

  it("reads as one, with how many rows each treatment touches", () => {
    const tried = {
      says: "",
      steps: [{ says: "", touched: 393, bad: 5 }],
      values: [],
      different: 0,
      touched: 393,
      unreadable: 5,
    };
    const told = words(sentence({ treatments: [{ do: "multiply", by: "0.3048" }] }, "decimal", tried).text());
    expect(told).toContain("Take LOA (feet), multiply by 393 rows, 5 cannot be read");
    expect(told).toContain("+ then…");
  });

  it("changes a part in place, leaves a treatment out and does it earlier", async () => {
    const lane: Partial<Lane> = {
      treatments: [
        { do: "blank", texts: ["n/k"] },
        { do: "multiply", by: "2" },
      ],
    };
    const one = sentence(lane);
    const factor = one.get("input[aria-label=by]");
    await factor.setValue("0.3048");
    await factor.trigger("change");
    const last = (): Lane => one.emitted<[Lane]>("update:modelValue")?.at(-1)?.[0] ?? PLAIN;
    expect(last().treatments[1]).toEqual({ do: "multiply", by: "0.3048" });
    await one.get("button[aria-label='Do it earlier: multiply']").trigger("click");
    expect(last().treatments.map((treatment) => treatment.do)).toEqual(["multiply", "blank"]);
    await one.get("button[aria-label='Leave out: treat as blank']").trigger("click");
    expect(last().treatments.map((treatment) => treatment.do)).toEqual(["multiply"]);
  });

  it("says a fixed value, and adds where the field holds several", () => {
    expect(words(sentence({ fixed: "yes" }, "text").text())).toContain("For every row a fixed value:");
    expect(words(sentence({ adds: true }, "choices").text())).toContain("split at and add them to what is there");
  });
});

describe("what is said of columns", () => {
  it("how they are known and what becomes of them", () => {
    expect(way(column({ open: true, field: null, how: "open" }), false)).toBe("? choose a field");
    expect(way(column({ check: true }), false)).toBe("= only checked");
    expect(way(column({}), true)).toBe("↑ finds the record");
    const lane = { ...PLAIN, says: "", short: "×0.3048", only_empty: true, separator: "/" };
    expect(way(column({ lane }), false)).toBe("↑ ×0.3048, split at “/”, where empty");
    expect(how(column({ how: "words" }))).toContain("in other words");
    expect(how(column({ field: null, how: "chosen" }))).toBe("Left out by choice.");
  });

  it("offers fields with type, key and an example, the likely first and the taken last", () => {
    const own = trip({ examples: { notes: "mind the ladder" } });
    const asked = {
      code: "field",
      says: "",
      sure: false,
      options: [{ says: "", columns: { Bol: "notes" }, lanes: {}, without: false, marks: false }],
    };
    const fields = [field({ name: "berth_no", label: "Berth no.", is_key: true }), field({}), field({ name: "depth" })];
    const made = fieldOptions(fields, own, column({ field: null, questions: [asked] }));
    expect(made.map((one) => one.value)).toEqual(["notes", "depth", "berth_no"]);
    expect(made[0]).toMatchObject({ note: "likely", example: "mind the ladder", kind: "text" });
    expect(made[2]).toMatchObject({ disabled: true, note: "key, taken by Berth no." });
  });
});

describe("what is asked", () => {
  it("is one line with one answer for all that is sure", async () => {
    const sure = {
      code: "form",
      says: "",
      sure: true,
      options: [{ says: "", columns: {}, lanes: { rate: PLAIN }, without: false, marks: false }],
    };
    const open = column({
      header: "Bollard",
      field: null,
      open: true,
      how: "open",
      questions: [{ ...sure, sure: false }],
    });
    const own = trip({ columns: [column({ questions: [sure] }), open] });
    const context = { trip: computed(() => own), mayPrepare: computed(() => true), set: () => undefined };
    const bar = mount(AskedBar, {
      props: { missing: [] },
      global: {
        plugins: [VueQueryPlugin],
        provide: { [tripKey as symbol]: { ...context, refresh: () => Promise.resolve() } },
      },
    });
    expect(words(bar.text())).toContain("2 questions: Berth no., Bollard");
    const [, , take, leave] = bar.findAll("button");
    await take?.trigger("click");
    await leave?.trigger("click");
    await flushPromises();
    const said = bar.emitted<[Schemas["Option"][]]>("answer") ?? [];
    expect(said[0]?.[0]).toEqual(sure.options);
    expect(said[1]?.[0][0]?.columns).toEqual({ Bollard: "" });
  });

  it("shows values before and after, what cannot be read first", () => {
    const value = (before: string, more: Partial<Schemas["TriedValue"]>) => ({
      before,
      after: null,
      says: "",
      bad: false,
      count: 2,
      ...more,
    });
    const tried = {
      says: "",
      steps: [],
      values: [
        value("n/k", { bad: true, says: "no number" }),
        value("39,4", { after: "12.0" }),
        value("", { says: "leave" }),
      ],
      different: 3,
      touched: 2,
      unreadable: 2,
    };
    const table = mount(ValuesTable, { props: { tried, rows: 6 } });
    expect(words(table.text())).toContain("2 rows of 6 changed, 2 cannot be read");
    expect(table.findAll("tr").map((row) => words(row.text()))).toEqual([
      "n/k× no number2×",
      "39,412.02×",
      "blankleave2×",
    ]);
  });
});
