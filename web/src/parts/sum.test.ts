import { mount } from "@vue/test-utils";
import { describe, expect, it } from "vitest";

import SmallBar from "./SmallBar.vue";
import SmallLine from "./SmallLine.vue";
import StageLabel from "./StageLabel.vue";
import TheSum from "./TheSum.vue";
import VerdictSign from "./VerdictSign.vue";
import { SIGNS, terms, word } from "./verdicts";

const SUM = { create: 41, update: 908, same: 240, delete: 0, held: 3, rejected: 12, aside: 0 };

describe("verdicts", () => {
  it("each have a sign and a word", () => {
    for (const [verdict, sign] of Object.entries(SIGNS)) {
      expect(sign.length, verdict).toBe(1);
      expect(word(verdict)).not.toBe("");
    }
    expect(word("aside")).toBe("set aside");
  });

  it("are listed in their order, without those that are zero", () => {
    expect(terms(SUM).map((term) => term.verdict)).toEqual(["create", "update", "same", "held", "rejected"]);
    expect(terms({})).toEqual([]);
  });

  it("are told without colour", () => {
    const sign = mount(VerdictSign, { props: { verdict: "held" } });
    expect(sign.text()).toBe("?");
    expect(sign.attributes("aria-label")).toBe("held");
  });
});

describe("the sum", () => {
  const mounted = () => mount(TheSum, { props: { rows: 1204, sum: SUM, chosen: "held" } });

  it("shows every term and adds up", () => {
    const text = mounted().find("[data-testid=sum]").text().replace(/\s+/g, "");
    expect(text).toContain("1,204rowsread=41create+908update+240same+3held+12rejected");
    expect(Object.values(SUM).reduce((a, b) => a + b)).toBe(1204);
  });

  it("opens the rows behind a term, and lets go of it again", async () => {
    const sum = mounted();
    await sum.find("button.update").trigger("click");
    await sum.find("button.held").trigger("click");
    expect(sum.emitted("choose")).toEqual([["update"], [""]]);
    expect(sum.find("button.held").attributes("aria-pressed")).toBe("true");
    expect(sum.find("button.update").attributes("aria-pressed")).toBe("false");
  });

  it("is said in words in the list of trips", () => {
    const bar = mount(SmallBar, { props: { sum: SUM } });
    expect(bar.attributes("aria-label")).toBe("41 create, 908 update, 240 same, 3 held, 12 rejected");
    expect(bar.findAll("span")).toHaveLength(5);
  });
});

describe("where a trip stands", () => {
  it("is said in words", () => {
    const stations = (["file", "columns", "keys", "review", "apply", "outcome"] as const).map((name, at) => ({
      name,
      state: at < 3 ? ("done" as const) : at === 3 ? ("here" as const) : ("ahead" as const),
      says: at === 3 ? "3 rows need you" : "",
      asks: at === 3,
    }));
    const line = mount(SmallLine, { props: { stations } });
    expect(line.attributes("aria-label")).toBe("at review: 3 rows need you");
  });

  it("live and practice never look alike", () => {
    expect(mount(StageLabel, { props: { stage: "live" } }).text()).toBe("LIVE");
    const practice = mount(StageLabel, { props: { stage: "practice" } });
    expect(practice.text()).toBe("PRACTICE");
    expect(practice.classes()).toContain("practice");
  });
});
