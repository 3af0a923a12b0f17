import { describe, expect, it } from "vitest";

import type { Schemas } from "@/api/client";

import { allPasses, readBackWords } from "./allPasses";

const counts = (before: number, created: number, deleted: number, after: number) => ({
  before,
  after,
  created,
  deleted,
  moved: 0,
  others: after - before - created + deleted,
  totals: {},
});
const report = (values: Partial<Schemas["Report"]>): { report: Schemas["Report"] } => ({
  report: {
    records: 0,
    as_sent: 0,
    lost: [],
    differences: [],
    counts: null,
    by_itself: [],
    set: {},
    deleted: 0,
    gone: 0,
    warnings: 0,
    totals: {},
    type: null,
    selection: null,
    ...values,
  },
});

describe("all passes together", () => {
  it("adds up what was written, and goes from before the first to after the last", () => {
    const one = report({ records: 36, as_sent: 36, type: counts(100, 4, 0, 105) });
    const two = report({ records: 1, as_sent: 0, deleted: 2, gone: 2, type: counts(105, 0, 2, 103) });
    const all = allPasses([one, { report: null }, two]);
    expect(all).toMatchObject({ records: 37, as_sent: 36, deleted: 2, gone: 2 });
    expect(all?.type).toMatchObject({ before: 100, after: 103, created: 4, deleted: 2, others: 1 });
    expect(all?.selection).toBeNull();
  });
  it("says nothing before the first has read back", () => {
    expect(allPasses([{ report: null }])).toBeUndefined();
  });
  it("names what is there and what is gone, each only where there is any", () => {
    const said = (values: Partial<Schemas["Report"]>) => {
      const all = allPasses([report(values)]);
      return all && readBackWords(all);
    };
    expect(said({ records: 36, as_sent: 35 })).toBe("Read back 35 of 36 as sent");
    expect(said({ deleted: 6, gone: 6 })).toBe("Read back 6 of 6 gone");
    expect(said({ records: 2, as_sent: 2, deleted: 4, gone: 3 })).toBe("Read back 2 of 2 as sent, 3 of 4 gone");
    expect(said({})).toBe("Nothing was written, so nothing is read back");
  });
});
