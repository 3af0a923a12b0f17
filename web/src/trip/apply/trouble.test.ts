import { describe, expect, it } from "vitest";

import { stopAfter, troubleOf } from "./trouble";

describe("after how many refusals a pass stops", () => {
  it("is asked only where it stops", () => {
    expect(stopAfter(troubleOf({}))).toBeNull();
    expect(stopAfter({ how: "none", after: "x" })).toBeNull();
    expect(stopAfter({ how: "stop", after: " 3 " })).toBe(3);
    expect(stopAfter({ how: "back", after: "10" })).toBe(10);
  });
  it("is a number from one on", () => {
    for (const odd of ["", "0", "-1", "1.5", "x", "12345678"])
      expect(stopAfter({ how: "stop", after: odd })).toBeUndefined();
  });
});
