import { describe, expect, it, vi } from "vitest";

import { count, exact, many, when } from "./format";

describe("numbers for people", () => {
  it("have thousands separators", () => {
    expect(count(1204)).toBe("1,204");
    expect(count(undefined)).toBe("0");
    expect(many(1, "row", "rows")).toBe("1 row");
    expect(many(201344, "row", "rows")).toBe("201,344 rows");
  });

  it("keep every digit of a decimal", () => {
    expect(exact("12345678901234.56")).toBe("12,345,678,901,234.56");
    expect(exact("-1820.00")).toBe("−1,820.00");
    expect(exact("0.10")).toBe("0.10");
    expect(exact(null)).toBe("0");
  });
});

describe("times for people", () => {
  it("are hours today, then days", () => {
    vi.useFakeTimers({ now: new Date("2026-11-23T10:00:00") });
    expect(when("2026-11-23T09:12:00")).toBe("09:12");
    expect(when("2026-11-22T23:59:00")).toBe("yesterday");
    expect(when("2026-11-12T08:00:00")).toBe("12 Nov");
    expect(when("2025-11-12T08:00:00")).toBe("12 Nov 2025");
    vi.useRealTimers();
  });
});
