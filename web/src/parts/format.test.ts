import { afterEach, describe, expect, it, vi } from "vitest";

import { asTyped, count, exact, fullTime, many, moment, room, shortDay, when } from "./format";
import { momentAt, readAs, wallOf } from "./reading";

afterEach(() => {
  readAs(null);
  vi.useRealTimers();
});

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
  });
});

describe("for readers of other countries", () => {
  const sum = "-12345678.90";
  it("numbers have their signs, and every digit", () => {
    readAs({ locale: "de-DE", zone: "" });
    expect([count(201344), exact(sum), room(12_345_678)]).toEqual(["201.344", "−12.345.678,90", "12,3 MB"]);
    readAs({ locale: "fr-FR", zone: "" });
    expect([count(201344), exact(sum)]).toEqual(["201\u202f344", "−12\u202f345\u202f678,90"]);
    readAs({ locale: "en-US", zone: "" });
    expect([count(-1344), exact(sum)]).toEqual(["-1,344", "−12,345,678.90"]);
  });

  it("days are in figures where their names are another language's, times in the zone that was said", () => {
    vi.useFakeTimers({ now: new Date("2026-11-23T10:00:00Z") });
    const early = "2026-11-12T00:30:05Z";
    const ways = { "en-GB": "12 Nov", "en-US": "Nov 12", "de-DE": "12.11.", "fr-FR": "12/11" };
    for (const [locale, says] of Object.entries(ways)) {
      readAs({ locale, zone: "Europe/Berlin" });
      expect(when(early)).toBe(says);
      expect(shortDay(new Date("2026-11-12"), false, "UTC")).toBe(says);
    }
    expect(fullTime(early)).toBe("12/11/2026, 01:30:05");
    readAs({ locale: "en-US", zone: "America/New_York" });
    expect(fullTime(early)).toBe("Nov 11, 2026, 7:30:05 PM");
    expect(moment("2026-11-24T02:00:00Z")).toBe("at 9:00 PM");
    readAs({ locale: "en-GB", zone: "Pacific/Auckland" });
    expect(when("2026-11-22T10:59:00Z")).toBe("yesterday");
    expect(when("2026-11-22T11:01:00Z")).toBe("00:01");
    expect(moment("2026-11-24T11:30:00Z")).toBe("on 25 Nov at 00:30");
  });

  it("what is typed is the number that they mean, and nothing else", () => {
    readAs({ locale: "de-DE", zone: "" });
    expect(["1.820,50", "1.820", "-1.820.000,5", "1820,5", "7"].map(asTyped)).toEqual([
      "1820.50",
      "1820",
      "-1820000.5",
      "1820.5",
      "7",
    ]);
    for (const other of ["1820.50", "1.82", "1,820.50", "1,8,2", "", "n/k", ",5", "1.,5"])
      expect(asTyped(other)).toBe(other);
    readAs({ locale: "fr-FR", zone: "" });
    expect(["1 820,50", "1\u202f820", "1\u00a0820,5"].map(asTyped)).toEqual(["1820.50", "1820", "1820.5"]);
    readAs({ locale: "en-GB", zone: "" });
    expect(["48,211.50", "48211.5", "4,8"].map(asTyped)).toEqual(["48211.50", "48211.5", "4,8"]);
  });

  it("a day and time in a zone is the moment that its clocks show so", () => {
    for (const zone of ["Europe/London", "America/New_York", "Pacific/Auckland", "Asia/Kathmandu", "UTC"])
      for (let hour = 0; hour < 24 * 400; hour += 7) {
        const then = new Date(Date.UTC(2026, 0, 1, hour, 30));
        const back = momentAt(wallOf(then, zone), zone);
        expect(wallOf(back, zone)).toEqual(wallOf(then, zone));
      }
    expect(momentAt({ year: 2026, month: 3, day: 29, hour: 1, minute: 30 }, "Europe/London").toISOString()).toBe(
      "2026-03-29T01:30:00.000Z",
    );
  });
});
