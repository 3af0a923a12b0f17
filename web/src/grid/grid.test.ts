import { mount } from "@vue/test-utils";
import { describe, expect, it } from "vitest";

import type { Cell, Row } from "@/api/client";

import { cell as some, heldRow } from "@/trip/example";

import type { GridColumn } from "./columns";
import GridCell from "./GridCell.vue";
import GridRow from "./GridRow.vue";
import { useGridKeys } from "./useGridKeys";

const RATE: GridColumn = { at: 1, key: "c1", title: "Daily rate", sub: "", number: true, field: "daily_rate" };
const CODE: GridColumn = { at: 0, key: "c0", title: "Berth no.", sub: "key", isKey: true, field: "berth_no" };

const cell = (values: Partial<Cell>, whole = false) =>
  mount(GridCell, { props: { cell: some({ text: "40.50", ...values }), column: RATE, fault: false, whole } });

describe("a cell", () => {
  it("shows its text where nothing happens to it", () => {
    expect(cell({}).text()).toBe("40.50");
    expect(cell({}).classes()).toEqual(["grid-td", "num"]);
  });

  it("shows old → new where it is written or held", () => {
    for (const state of ["write", "held"] as const) {
      const changed = cell({ action: state, current: "38.50", proposed: "40.50", sent: "38.50" });
      expect(changed.text().replace(/\s+/g, " ")).toBe("38.50 → 40.50");
      expect(changed.classes()).toContain(state);
      expect(changed.attributes("title")).toBe("38.50 → 40.50");
    }
  });

  it("says when a field is emptied or was empty", () => {
    expect(cell({ action: "write", current: "38.50", proposed: null }).find(".new").text()).toBe("empty");
    expect(cell({ action: "write", current: null, proposed: "31.00" }).find(".old").exists()).toBe(false);
  });

  it("shows the cell as it came where whole rows are wanted", () => {
    expect(cell({ action: "write", current: "38.50", proposed: "40.50" }, true).text()).toBe("40.50");
  });

  it("marks what could not be read", () => {
    const bad = cell({ text: "4O.50", action: "unreadable", current: "38.50", proposed: null });
    expect(bad.text()).toBe("4O.50");
    expect(bad.classes()).toContain("unreadable");
  });
});

describe("a row", () => {
  const row: Row = {
    ...heldRow,
    row: 19,
    row_id: 17,
    state: "refused",
    reason: "A let berth needs a holder.",
    faults: [{ code: "refused", field: "daily_rate", says: "A let berth needs a holder.", answers: [] }],
    cells: [some({ text: "B-015" }), some({ text: "40.50" })],
  };
  const props = {
    id: "grid-r0",
    keyed: [{ column: CODE, width: 100 }],
    shown: [{ column: RATE, left: 200, width: 100 }],
    columnIndex: (at: number) => at + 3,
    signs: true,
    why: { left: 300, width: 360 },
  };

  it("keeps its number, verdict and keys together", () => {
    const fixed = mount(GridRow, { props: { row, ...props } }).find(".grid-fixed");
    expect(fixed.find("[role=rowheader]").text()).toBe("19");
    expect(fixed.find("[role=img]").attributes("aria-label")).toBe("refused");
    expect(fixed.find(".key").text()).toBe("B-015");
  });

  it("points at the field at fault and says why", () => {
    const made = mount(GridRow, { props: { row, ...props } });
    expect(made.find(".fault").text()).toBe("40.50");
    expect(made.find(".grid-why").text()).toBe("A let berth needs a holder.");
  });

  it("keeps its place while its cells are on their way", () => {
    const made = mount(GridRow, { props: { row: undefined, ...props } });
    expect(made.text()).toBe("…");
    expect(made.attributes("role")).toBe("row");
  });
});

describe("the keys of a grid", () => {
  const pressed = (key: string, can: { type: boolean; open: boolean }): boolean => {
    const nothing = (): undefined => undefined;
    let handle: (event: KeyboardEvent) => void = nothing;
    const moves = { rowsOn: nothing, page: () => 1, first: nothing, last: nothing, columnsOn: nothing, tick: nothing };
    const Grid = {
      setup: () => {
        const does = { ...moves, focused: () => true, type: () => can.type, open: () => can.open };
        handle = useGridKeys(does, { edit: true, tick: false });
        return () => null;
      },
    };
    const grid = mount(Grid);
    const event = new KeyboardEvent("keydown", { key, cancelable: true });
    handle(event);
    grid.unmount();
    return event.defaultPrevented;
  };

  it("leave to the page what does nothing, as while the rows come", () => {
    expect(pressed("Enter", { type: false, open: true })).toBe(true);
    expect(pressed("Enter", { type: true, open: false })).toBe(true);
    expect(pressed("Enter", { type: false, open: false })).toBe(false);
    expect(pressed("ArrowDown", { type: false, open: false })).toBe(true);
  });
});
