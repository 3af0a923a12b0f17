import { describe, expect, it } from "vitest";

import { described, type Picture, ticks } from "./drawing";

const bar = (low: string, high: string, before = 1, after = 1, far = false) => ({ low, high, before, after, far });
const picture = (more: Partial<Picture>): Picture => ({
  field: "daily_rate",
  shown: "numbers",
  before: { filled: 40, sum: "1600.00", least: "20.00", greatest: "60.00" },
  after: { filled: 41, sum: "101640.00", least: "20.00", greatest: "99999.99" },
  bars: [],
  values: [],
  other_values: 0,
  changes: [],
  different_changes: 0,
  held: 0,
  unreadable: 0,
  ...more,
});

describe("a field's picture", () => {
  it("names few edges, and none of what lies far out", () => {
    const bars = Array.from({ length: 20 }, (_, at) => bar(`${at * 2}`, `${at * 2 + 2}`));
    expect([...ticks([bar("", "0", 0, 1, true), ...bars, bar("40", "", 0, 1, true)]).entries()]).toEqual([
      [1, "0"],
      [6, "10"],
      [11, "20"],
      [16, "30"],
    ]);
    expect(ticks([]).size).toBe(0);
  });

  it("is said in words", () => {
    const says = described(picture({ bars: [bar("20", "60", 40, 40), bar("60", "", 0, 1, true)] }), "Daily rate");
    expect(says).toBe(
      "Daily rate: 40 values now, from 20.00 to 60.00; 41 after, from 20.00 to 99999.99. 1 lie far out.",
    );
    const none = { filled: 0, sum: null, least: null, greatest: null };
    expect(described(picture({ before: none, after: none }), "Notes")).toBe("Notes: 0 values now; 0 after.");
  });
});
