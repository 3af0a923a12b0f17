<script setup lang="ts">
/** The one grid: virtual rows and columns, old → new in the cell. It keeps the focus, and says which cell is meant. */
import { computed, nextTick, onMounted, ref, useId, watch } from "vue";

import type { Row } from "@/api/client";
import { count } from "@/parts/format";
import { useFootNote } from "@/services/foot";
import AlertNote from "@/ui/AlertNote.vue";

import type { GridColumn } from "./columns";
import GridHead from "./GridHead.vue";
import GridRow from "./GridRow.vue";
import { useGridKeys } from "./useGridKeys";
import { ROW_HEIGHT, useGridLayout } from "./useGridLayout";
import { useTyping } from "./useTyping";
import type { RowWindow } from "./useWindow";

const props = defineProps<{
  window: RowWindow;
  columns: GridColumn[];
  label: string;
  signs?: boolean;
  why?: boolean;
  headHeight?: number;
  wholeRows?: boolean;
  /** Rows can be left out one by one. */
  ticks?: boolean;
  /** Cells can be typed in: which columns, by their place among a row's cells. */
  editable?: (at: number) => boolean;
  /** What stands above the row numbers: the header's own, where the file is shown. */
  corner?: string;
}>();
/** The row that is meant, by its place in the list. */
const current = defineModel<number>("current", { default: 0 });
/** The column that is meant, by its place among a row's cells; -1 is the whole row. */
const currentColumn = defineModel<number>("column", { default: -1 });
const emit = defineEmits<{
  open: [row: Row];
  edit: [row: Row, at: number, text: string];
  paste: [row: Row, at: number, text: string];
  tick: [rows: Row[], out: boolean];
}>();

const id = useId();
const scroller = ref<HTMLElement>();
const {
  head,
  total,
  keyed,
  inOrder,
  fixed,
  before,
  columnIndex,
  rows,
  width,
  why: whyAt,
  shown,
  range,
  showColumn,
} = useGridLayout(props, scroller);
let begun = false;
watch(
  [total, () => props.window.ready.value],
  ([now, ready]) => {
    if (!ready) return;
    if (current.value >= now) current.value = Math.max(0, now - 1);
    // Whoever comes back finds the row that they left in sight.
    if (!begun && current.value)
      void nextTick(() => {
        go(current.value);
      });
    begun ||= now > 0;
  },
  { immediate: true },
);

function go(to: number): void {
  const target = Math.max(0, Math.min(total.value - 1, to));
  current.value = target;
  rows.value.scrollToIndex(target, { align: "auto" });
  props.window.want(target, target);
}
/** To the column that many places further; -1 is before the first. */
function step(by: number): void {
  const place = inOrder.value.indexOf(currentColumn.value);
  const to = Math.max(0, Math.min(inOrder.value.length - 1, place + by));
  goColumn(inOrder.value[to] ?? 0);
}
function goColumn(at: number): void {
  currentColumn.value = at;
  showColumn(at);
}
const page = (): number =>
  Math.max(1, Math.floor(((scroller.value?.clientHeight ?? 400) - head.value) / ROW_HEIGHT) - 1);

const typing = useTyping({
  window: () => props.window,
  current,
  column: currentColumn,
  editable: () => props.editable,
  focus: () => scroller.value?.focus({ preventScroll: true }),
  step: (by) => {
    if (by === "down") go(current.value + 1);
    else step(1);
  },
  edit: (row, at, text) => {
    emit("edit", row, at, text);
  },
  paste: (row, at, text) => {
    emit("paste", row, at, text);
  },
});
const type = typing.begin;
let ticked = 0;
/** Leave a row out or take it in; with Shift all from the one before to this one. */
function tick(at: number, range: boolean): void {
  const out = !props.window.rowAt(at)?.left_out;
  const [from, to] = range ? [Math.min(ticked, at), Math.max(ticked, at)] : [at, at];
  const meant = Array.from({ length: to - from + 1 }, (_, n) => props.window.rowAt(from + n));
  ticked = at;
  emit(
    "tick",
    meant.filter((row) => !!row),
    out,
  );
}
const onKey = useGridKeys(
  {
    focused: (target) => target === scroller.value,
    rowsOn: (by) => {
      go(current.value + by);
    },
    page,
    first: () => {
      go(0);
    },
    last: () => {
      go(total.value - 1);
    },
    columnsOn: step,
    type,
    open: () => open(props.window.rowAt(current.value)),
    tick: (range) => {
      tick(current.value, range);
    },
  },
  { edit: !!props.editable, tick: props.ticks },
);
onMounted(() => {
  if (document.activeElement === document.body) scroller.value?.focus({ preventScroll: true });
});

const rowId = (at: number): string => `${id}-r${at}`;
const cellId = (row: number, at: number): string => `${id}-r${row}-c${at}`;
/** What the focus is on, for those who do not see it; nothing while it is scrolled away. */
const active = computed(() => {
  const { first, last } = range.value;
  if (!total.value || current.value < first || current.value > last) return undefined;
  return currentColumn.value < 0 ? rowId(current.value) : cellId(current.value, currentColumn.value);
});
useFootNote(() => {
  const height = (scroller.value?.clientHeight ?? 0) - head.value;
  const first = Math.floor((rows.value.scrollOffset ?? 0) / ROW_HEIGHT);
  const last = Math.min(total.value, first + Math.ceil(height / ROW_HEIGHT));
  return total.value ? `rows ${count(first + 1)} to ${count(last)} of ${count(total.value)}` : "";
});
function open(row: Row | undefined): boolean {
  if (row) emit("open", row);
  return !!row;
}
defineExpose({ go, goColumn, type });
</script>

<template>
  <AlertNote v-if="window.error.value" class="m-2 flex-none">
    The rows could not be read. {{ window.error.value.message }}
    <button type="button" class="btn sm ml-2" @click="window.again()">Try again</button>
  </AlertNote>
  <div
    ref="scroller"
    class="grid-scroll"
    :class="{ waiting: !window.ready.value, empty: !total }"
    role="grid"
    tabindex="0"
    :aria-label="label"
    :aria-busy="!window.ready.value || undefined"
    :aria-rowcount="total + 1"
    :aria-colcount="columns.length + before - 1 + (why ? 1 : 0)"
    :aria-activedescendant="active"
    data-testid="grid"
    @keydown="onKey"
    @paste="typing.onPaste"
  >
    <div
      role="presentation"
      :style="{ width: `${width}px`, height: `${head + rows.getTotalSize()}px` }"
      class="relative min-w-full"
    >
      <GridHead
        v-slot="{ column }"
        v-model="currentColumn"
        :height="head"
        :width="width"
        :fixed="fixed"
        :corner="corner ?? 'Row'"
        :signs="signs"
        :keyed="keyed"
        :shown="shown"
        :why="whyAt"
        :column-index="columnIndex"
        ><slot name="head" :column="column">{{ column.title }}<small>{{ column.sub }}</small></slot></GridHead
      >
      <GridRow
        v-for="item in rows.getVirtualItems()"
        :id="rowId(item.index)"
        :key="item.index"
        :row="window.rowAt(item.index)"
        :keyed="keyed"
        :shown="shown"
        :signs="signs"
        :whole="wholeRows"
        :ticks="ticks"
        :why="whyAt"
        :meant="item.index === current ? currentColumn : undefined"
        :typing="item.index === typing.at.value ? currentColumn : undefined"
        :column-index="columnIndex"
        :class="{ cur: item.index === current }"
        :aria-rowindex="item.index + 2"
        :aria-selected="item.index === current"
        :style="{ transform: `translateY(${head + item.start}px)`, width: `${width}px` }"
        @click="current = item.index"
        @cell="currentColumn = $event"
        @tick="tick(item.index, $event)"
        @typed="typing.typed"
        @left="typing.leave()"
        @dblclick="type() || open(window.rowAt(item.index))"
      />
    </div>
    <div v-if="window.ready.value && !window.error.value && !total" class="soft sticky left-0 p-5">
      <slot name="empty">No row is like that. Choose another filter.</slot>
    </div>
  </div>
</template>
