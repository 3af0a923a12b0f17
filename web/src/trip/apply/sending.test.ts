import { describe, expect, it } from "vitest";

import { asField, momentOf, thisEvening } from "./sending";
import { ruleWords, stopAfter, troubleOf } from "./trouble";

describe("when a plan is sent", () => {
  it("is at once, or at a moment that has not gone by", () => {
    const now = new Date(2026, 10, 30, 12, 0).getTime();
    expect(momentOf("", now)).toBeNull();
    expect(momentOf("2026-11-30T11:59", now)).toBeUndefined();
    expect(momentOf("soon", now)).toBeUndefined();
    expect(momentOf("2026-11-30T12:01", now)?.getMinutes()).toBe(1);
  });
  it("is offered for this evening, or the next where that has gone by", () => {
    expect(thisEvening(new Date(2026, 10, 30, 12, 5))).toBe("2026-11-30T20:00");
    expect(thisEvening(new Date(2026, 10, 30, 20, 0))).toBe("2026-12-01T20:00");
    expect(asField(new Date(2026, 0, 2, 3, 4))).toBe("2026-01-02T03:04");
  });
});

describe("what is done where rows are refused", () => {
  it("is first as the route says", () => {
    expect(troubleOf({ stop_after: null, take_back: false }).how).toBe("on");
    expect(stopAfter(troubleOf({ stop_after: 20, take_back: false }))).toBe(20);
    expect(troubleOf({ stop_after: 2, take_back: true })).toEqual({ how: "back", after: "2" });
  });
  it("is said of a pass in a few words", () => {
    expect(ruleWords({ stop_after: null, take_back: false, atomic: false })).toBe("carries on");
    expect(ruleWords({ stop_after: 1, take_back: false, atomic: false })).toBe("stops after 1 refusal");
    expect(ruleWords({ stop_after: 20, take_back: true, atomic: false })).toBe("stops after 20 refusals, takes back");
    expect(ruleWords({ stop_after: null, take_back: false, atomic: true })).toBe("all or nothing");
  });
});
