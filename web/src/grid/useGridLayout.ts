import { useVirtualizer } from "@tanstack/vue-virtual";
import { computed, type Ref, watch } from "vue";

import type { GridColumn } from "./columns";
import { useWidths } from "./useWidths";
import type { RowWindow } from "./useWindow";

export const ROW_HEIGHT = 29;
export const WHY_WIDTH = 360;
/** Width of the row numbers, and of the signs beside them. */
const NUMBERS = 58;
const SIGNS = 42;

export interface GridShape {
  window: RowWindow;
  columns: GridColumn[];
  signs?: boolean;
  why?: boolean;
  headHeight?: number;
}

/** Where rows and columns stand, and which of them are in sight; those are asked for. */
export function useGridLayout(shape: GridShape, scroller: Ref<HTMLElement | undefined>) {
  const head = computed(() => shape.headHeight ?? 46);
  const total = computed(() => shape.window.total.value);
  const widths = useWidths(
    () => shape.columns,
    () => shape.window,
  );

  /** Keys stay in sight: their columns stand beside the row numbers, the others scroll. */
  const placed = computed(() => shape.columns.map((column, place) => ({ column, width: widths.value[place] ?? 150 })));
  const keyed = computed(() => placed.value.filter(({ column }) => column.isKey));
  const rest = computed(() => placed.value.filter(({ column }) => !column.isKey));
  const inOrder = computed(() => [...keyed.value, ...rest.value].map(({ column }) => column.at));
  const keysWidth = computed(() => keyed.value.reduce((sum, { width }) => sum + width, 0));
  const fixed = computed(() => NUMBERS + (shape.signs ? SIGNS : 0) + keysWidth.value);
  const before = computed(() => (shape.signs ? 3 : 2));
  const columnIndex = (at: number): number => inOrder.value.indexOf(at) + before.value;

  const rows = useVirtualizer(
    computed(() => ({
      count: total.value,
      getScrollElement: () => scroller.value ?? null,
      estimateSize: () => ROW_HEIGHT,
      overscan: 6,
      scrollPaddingEnd: head.value,
    })),
  );
  const cols = useVirtualizer(
    computed(() => ({
      horizontal: true,
      count: rest.value.length,
      getScrollElement: () => scroller.value ?? null,
      estimateSize: (at: number) => rest.value[at]?.width ?? 150,
      overscan: 3,
      scrollPaddingStart: fixed.value,
    })),
  );
  watch(widths, () => {
    cols.value.measure();
  });
  const whyLeft = computed(() => fixed.value + cols.value.getTotalSize());
  const width = computed(() => whyLeft.value + (shape.why ? WHY_WIDTH : 0));
  const why = computed(() =>
    shape.why ? { left: whyLeft.value, width: WHY_WIDTH, index: shape.columns.length + before.value } : undefined,
  );
  const shown = computed(() =>
    cols.value.getVirtualItems().flatMap((item) => {
      const one = rest.value[item.index];
      return one ? [{ column: one.column, left: fixed.value + item.start, width: item.size }] : [];
    }),
  );
  const range = computed(() => {
    const items = rows.value.getVirtualItems();
    return { first: items[0]?.index ?? 0, last: items.at(-1)?.index ?? 30 };
  });
  watch(
    [range, () => shape.window.ready.value, total],
    ([{ first, last }]) => {
      shape.window.want(first, last);
    },
    { immediate: true },
  );
  /** Bring a column, by its place among a row's cells, into sight. */
  function showColumn(at: number): void {
    const place = rest.value.findIndex(({ column }) => column.at === at);
    if (place >= 0) cols.value.scrollToIndex(place, { align: "auto" });
  }
  return { head, total, keyed, inOrder, fixed, before, columnIndex, rows, width, why, shown, range, showColumn };
}
