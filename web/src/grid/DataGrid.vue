<script setup lang="ts">
/** The one grid: virtual rows and columns, old → new in the cell, keys to move. */
import { useVirtualizer } from "@tanstack/vue-virtual";
import { computed, ref, watch } from "vue";

import type { Row } from "@/api/client";
import { count } from "@/parts/format";
import { useFootNote } from "@/shell/foot";
import { useKeys } from "@/shell/keys";

import GridRow from "./GridRow.vue";
import type { RowWindow } from "./useWindow";

export interface GridColumn {
  key: string;
  title: string;
  sub: string;
  isKey?: boolean;
  number?: boolean;
  dim?: boolean;
  field?: string | null;
  width?: number;
}

const ROW_HEIGHT = 29;
const props = defineProps<{
  window: RowWindow;
  columns: GridColumn[];
  label: string;
  signs?: boolean;
  why?: boolean;
  headHeight?: number;
  wholeRows?: boolean;
}>();
const current = defineModel<number>("current", { default: 0 });
const currentColumn = defineModel<number>("column", { default: -1 });
const emit = defineEmits<{ open: [row: Row] }>();

const scroller = ref<HTMLElement>();

const head = computed(() => props.headHeight ?? 46);
const total = computed(() => props.window.total.value);
const whyWidth = 360;
/** As wide as the first rows ask for, so that codes and names are not cut. */
const widths = computed(() => {
  const some = Array.from({ length: Math.min(60, total.value) }, (_, at) => props.window.rowAt(at));
  return props.columns.map((column, at) => {
    if (column.width) return column.width;
    let longest = Math.max(column.title.length, column.sub.length * 0.85);
    for (const row of some) {
      const cell = row?.cells[at];
      const changed = cell?.do === "write" || cell?.do === "held";
      const text = changed ? (cell.old?.length ?? -3) + (cell.new?.length ?? 5) + 3 : (cell?.text?.length ?? 0);
      longest = Math.max(longest, text);
    }
    return Math.round(Math.max(76, Math.min(300, longest * (column.isKey ? 8.2 : 7.8) + 24)));
  });
});

/** Keys stay in sight: their columns stand beside the row numbers, the others scroll. */
const keyed = computed(() => props.columns.map((column, at) => ({ column, at })).filter(({ column }) => column.isKey));
const rest = computed(() => props.columns.map((column, at) => ({ column, at })).filter(({ column }) => !column.isKey));
const keysWidth = computed(() => keyed.value.reduce((sum, { at }) => sum + (widths.value[at] ?? 0), 0));
const fixed = computed(() => 58 + (props.signs ? 42 : 0) + keysWidth.value);

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
    estimateSize: (at: number) => widths.value[rest.value[at]?.at ?? 0] ?? 150,
    overscan: 3,
    scrollPaddingStart: fixed.value,
  })),
);
watch(widths, () => cols.value.measure());
const width = computed(() => fixed.value + cols.value.getTotalSize() + (props.why ? whyWidth : 0));
const shownColumns = computed(() =>
  cols.value.getVirtualItems().flatMap((item) => {
    const one = rest.value[item.index];
    return one ? [{ ...one, start: item.start, size: item.size }] : [];
  }),
);
const range = computed(() => {
  const items = rows.value.getVirtualItems();
  return { first: items[0]?.index ?? 0, last: items.at(-1)?.index ?? 30 };
});
watch(range, ({ first, last }) => props.window.want(first, last), { immediate: true });
watch(
  () => props.window.total.value,
  (now) => {
    if (current.value >= now) current.value = Math.max(0, now - 1);
    props.window.want(range.value.first, range.value.last);
  },
);

const shownRow = (at: number): Row | undefined => props.window.rowAt(at);

function go(to: number): void {
  const target = Math.max(0, Math.min(total.value - 1, to));
  current.value = target;
  rows.value.scrollToIndex(target, { align: "auto" });
  props.window.want(target, target);
}
function goColumn(to: number): void {
  const target = Math.max(0, Math.min(props.columns.length - 1, to));
  currentColumn.value = target;
  const among = rest.value.findIndex(({ at }) => at === target);
  if (among >= 0) cols.value.scrollToIndex(among, { align: "auto" });
}
const page = (): number =>
  Math.max(1, Math.floor(((scroller.value?.clientHeight ?? 400) - head.value) / ROW_HEIGHT) - 1);
useKeys("Rows", [
  { key: "J", says: "next row", run: () => go(current.value + 1) },
  { key: "K", says: "previous row", run: () => go(current.value - 1) },
  { key: "ArrowDown", says: "next row", quiet: true, run: () => go(current.value + 1) },
  { key: "ArrowUp", says: "previous row", quiet: true, run: () => go(current.value - 1) },
  { key: "PageDown", says: "a page down", quiet: true, run: () => go(current.value + page()) },
  { key: "PageUp", says: "a page up", quiet: true, run: () => go(current.value - page()) },
  { key: "Home", says: "first row", quiet: true, run: () => go(0) },
  { key: "End", says: "last row", quiet: true, run: () => go(total.value - 1) },
  { key: "ArrowRight", says: "next column", quiet: true, run: () => goColumn(currentColumn.value + 1) },
  { key: "ArrowLeft", says: "previous column", quiet: true, run: () => goColumn(currentColumn.value - 1) },
]);
useFootNote(() => {
  const height = (scroller.value?.clientHeight ?? 0) - head.value;
  const first = Math.floor((rows.value.scrollOffset ?? 0) / ROW_HEIGHT);
  const last = Math.min(total.value, first + Math.ceil(height / ROW_HEIGHT));
  return total.value ? `rows ${count(first + 1)} to ${count(last)} of ${count(total.value)}` : "";
});
function open(row: Row | undefined): void {
  if (row) emit("open", row);
}
defineExpose({ go, goColumn });
</script>

<template>
  <div
    ref="scroller"
    class="grid-scroll"
    role="grid"
    tabindex="0"
    :aria-label="label"
    :aria-rowcount="total + 1"
    :aria-colcount="columns.length + (signs ? 2 : 1) + (why ? 1 : 0)"
    data-testid="grid"
  >
    <div :style="{ width: `${width}px`, height: `${head + rows.getTotalSize()}px` }" class="relative min-w-full">
      <div class="grid-head" role="row" aria-rowindex="1" :style="{ height: `${head}px`, width: `${width}px` }">
        <div class="sticky left-0 z-30 flex bg-sunk" :style="{ width: `${fixed}px` }">
          <div
            role="columnheader"
            class="w-[58px] border-r border-rule px-2.5 pt-1.5 text-right text-[13px] font-semibold"
          >
            Row
          </div>
          <div v-if="signs" role="columnheader" class="w-[42px] border-r border-rule" aria-label="Verdict" />
          <div
            v-for="{ column, at } in keyed"
            :key="at"
            role="columnheader"
            class="grid-th !relative flex-none"
            :class="{ '!bg-panel': at === currentColumn }"
            :style="{ width: `${widths[at]}px`, height: `${head - 2}px` }"
            @click="currentColumn = at"
          >
            <slot name="head" :column="column" :at="at"
              >{{ column.title }}<small>{{ column.sub }}</small></slot
            >
          </div>
        </div>
        <div
          v-for="{ column, at, start, size } in shownColumns"
          :key="at"
          role="columnheader"
          class="grid-th"
          :aria-colindex="at + 2"
          :class="{ '!bg-panel': at === currentColumn }"
          :style="{ left: `${fixed + start}px`, width: `${size}px`, height: `${head - 2}px` }"
          @click="currentColumn = at"
        >
          <slot name="head" :column="column" :at="at"
            >{{ column.title }}<small>{{ column.sub }}</small></slot
          >
        </div>
        <div
          v-if="why"
          role="columnheader"
          class="grid-th"
          :style="{ left: `${fixed + cols.getTotalSize()}px`, width: `${whyWidth}px`, height: `${head - 2}px` }"
        >
          Why<small>the reason, and what would do</small>
        </div>
      </div>
      <GridRow
        v-for="item in rows.getVirtualItems()"
        :key="item.index"
        :row="shownRow(item.index)"
        :keyed="keyed"
        :shown="shownColumns"
        :widths="widths"
        :fixed="fixed"
        :signs="signs"
        :whole="wholeRows"
        :why="why ? { left: fixed + cols.getTotalSize(), width: whyWidth } : undefined"
        :class="{ cur: item.index === current }"
        :aria-rowindex="item.index + 2"
        :aria-selected="item.index === current"
        :style="{ transform: `translateY(${head + item.start}px)`, width: `${width}px` }"
        @click="current = item.index"
        @dblclick="open(shownRow(item.index))"
      />
    </div>
    <div v-if="window.ready.value && !total" class="soft sticky left-0 p-5">
      <slot name="empty">No row is like that. Choose another filter.</slot>
    </div>
  </div>
</template>
