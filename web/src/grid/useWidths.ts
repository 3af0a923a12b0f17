/** Columns as wide as the first rows ask for, so that codes and names are not cut. */
import { computed, type ComputedRef } from "vue";

import type { GridColumn } from "./columns";
import type { RowWindow } from "./useWindow";

const LOOKED_AT = 60;
const [LEAST, MOST] = [76, 300];
/** Letters that the arrow between old and new takes, with the space around it and the new one's heavier letters. */
const CHANGE = 5;

export function useWidths(columns: () => GridColumn[], window: () => RowWindow): ComputedRef<number[]> {
  return computed(() => {
    const count = Math.min(LOOKED_AT, window().total.value);
    const some = Array.from({ length: count }, (_, at) => window().rowAt(at));
    return columns().map((column) => {
      if (column.width) return column.width;
      let longest = Math.max(column.title.length, column.sub.length * 0.85);
      for (const row of some) {
        const cell = row?.cells[column.at];
        const changed = cell?.action === "write" || cell?.action === "held";
        const text = changed
          ? (cell.current?.length ?? -3) + (cell.proposed?.length ?? 5) + CHANGE
          : (cell?.text?.length ?? 0);
        longest = Math.max(longest, text);
      }
      return Math.round(Math.max(LEAST, Math.min(MOST, longest * (column.isKey ? 8.2 : 7.8) + 24)));
    });
  });
}
