import { mount } from "@vue/test-utils";
import { describe, expect, it } from "vitest";

import ReadBack from "./ReadBack.vue";

const report = {
  ...{ records: 400, as_sent: 280, by_itself: [], set: {}, deleted: 0, gone: 0, warnings: 0, totals: {} },
  ...{ type: null, selection: null },
  lost: [4],
  differences: Array.from({ length: 60 }, (_, at) => ({
    ...{ row_id: at, row: at + 1200, field: "rate", sent: "40.00", found: at ? "41.00" : null },
  })),
  counts: { lost: 1, differences: 119, by_itself: 0 },
};
const shown = (more: object = {}) =>
  mount(ReadBack, { props: { report: { ...report, ...more }, label: () => "Daily rate" } });

describe("read back", () => {
  it("counts all that is not as sent, and names the first rows", async () => {
    const panel = shown();
    expect(panel.text()).toContain("119 values are not as sent, 1 record is not there (280 of 400 records are)");
    expect(panel.findAll("li")).toHaveLength(0);
    await panel.find("button").trigger("click");
    const lines = panel.findAll("li").map((line) => line.text());
    expect(lines.slice(0, 3)).toEqual([
      "row 4: its record is not there",
      "row 1,200: Daily rate is empty, not 40.00 as sent",
      "row 1,201: Daily rate is 41.00, not 40.00 as sent",
    ]);
    expect(lines.at(-1)).toBe("… and 70 more; the receipt names them.");
  });

  it("says nothing where all is as sent, and counts what an older report names", () => {
    expect(shown({ lost: [], differences: [], counts: null }).find("section").exists()).toBe(false);
    expect(shown({ lost: [], counts: null }).text()).toContain("60 values are not as sent");
  });
});
