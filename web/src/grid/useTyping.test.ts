import { describe, expect, it, vi } from "vitest";
import { effectScope, ref } from "vue";

import type { Row } from "@/api/client";

import { useTyping } from "./useTyping";
import type { RowWindow } from "./useWindow";

const row = { row: 5, row_id: 3, cells: [] } as unknown as Row;
const grid = document.createElement("div");

function typing(there: Row | undefined, column = 1, editable = true) {
  const place = {
    window: () => ({ rowAt: () => there }) as unknown as RowWindow,
    current: ref(0),
    column: ref(column),
    editable: () => (editable ? () => true : undefined),
    focus: vi.fn(),
    step: vi.fn(),
    edit: vi.fn(),
    paste: vi.fn(),
  };
  const scope = effectScope();
  const made = scope.run(() => useTyping(place));
  if (!made) throw new Error("no typing");
  return { place, made };
}
function pasted(made: ReturnType<typeof useTyping>, text = "a\tb"): Event {
  const event = new Event("paste", { cancelable: true, bubbles: true });
  Object.assign(event, { clipboardData: { getData: () => text } });
  grid.addEventListener("paste", made.onPaste as unknown as EventListener, { once: true });
  grid.dispatchEvent(event);
  return event;
}

describe("typing in cells", () => {
  it("begins only in a cell that can be edited, and gives what was typed to its row", () => {
    const { place, made } = typing(row);
    expect(made.begin()).toBe(true);
    expect(made.at.value).toBe(0);
    made.typed("40", "down");
    expect(place.edit).toHaveBeenCalledWith(row, 1, "40");
    expect(place.step).toHaveBeenCalledWith("down");
    expect(made.at.value).toBe(-1);
    expect(typing(row, -1).made.begin()).toBe(false);
    expect(typing(row, 1, false).made.begin()).toBe(false);
  });

  it("takes a block into the cell that is meant", () => {
    const { place, made } = typing(row);
    expect(pasted(made).defaultPrevented).toBe(true);
    expect(place.paste).toHaveBeenCalledWith(row, 1, "a\tb");
  });

  it("lets no block become a sheet while the rows are on their way", () => {
    const { place, made } = typing(undefined);
    expect(pasted(made).defaultPrevented).toBe(true);
    expect(place.paste).not.toHaveBeenCalled();
  });

  it("leaves a block alone where no cell is meant", () => {
    expect(pasted(typing(row, -1).made).defaultPrevented).toBe(false);
    expect(pasted(typing(row, 1, false).made).defaultPrevented).toBe(false);
  });
});
