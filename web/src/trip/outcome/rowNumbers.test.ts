import { describe, expect, it } from "vitest";

import { rowNumbers } from "./rowNumbers";

describe("rows as people list them", () => {
  it("takes numbers and ranges, each row once", () => {
    expect(rowNumbers("3, 5-7,6")).toEqual([3, 5, 6, 7]);
    expect(rowNumbers(" 8 - 9 ")).toEqual([8, 9]);
    expect(rowNumbers("")).toEqual([]);
    expect(rowNumbers(" , ")).toEqual([]);
  });
  it("takes nothing else", () => {
    for (const odd of ["x", "5-", "-5", "9-3", "0", "1.5", "3;4", "1-2-3", "1-9999999"])
      expect(rowNumbers(odd)).toBeUndefined();
  });
});
