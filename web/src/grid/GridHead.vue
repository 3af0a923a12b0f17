<script setup lang="ts">
/** The head of the grid: row numbers, verdicts and keys stay in sight, the other columns scroll below them. */
import type { GridColumn } from "./columns";

defineProps<{
  height: number;
  width: number;
  fixed: number;
  corner: string;
  signs?: boolean;
  keyed: { column: GridColumn; width: number }[];
  shown: { column: GridColumn; left: number; width: number }[];
  why?: { left: number; width: number; index: number };
  columnIndex: (at: number) => number;
}>();
/** The column that is meant, by its place among a row's cells. */
const current = defineModel<number>({ required: true });
</script>

<template>
  <div class="grid-head" role="row" aria-rowindex="1" :style="{ height: `${height}px`, width: `${width}px` }">
    <div role="presentation" class="sticky left-0 z-30 flex bg-sunk" :style="{ width: `${fixed}px` }">
      <div
        role="columnheader"
        aria-colindex="1"
        class="w-[58px] border-r border-rule px-2.5 pt-1.5 text-right text-small font-semibold"
      >
        {{ corner }}
      </div>
      <div
        v-if="signs"
        role="columnheader"
        aria-colindex="2"
        class="w-[42px] border-r border-rule"
        aria-label="Verdict"
      />
      <div
        v-for="{ column, width: wide } in keyed"
        :key="column.at"
        role="columnheader"
        class="grid-th !relative flex-none"
        :aria-colindex="columnIndex(column.at)"
        :class="{ meant: column.at === current }"
        :style="{ width: `${wide}px`, height: `${height - 2}px` }"
        @click="current = column.at"
      >
        <slot :column="column" />
      </div>
    </div>
    <div
      v-for="{ column, left, width: wide } in shown"
      :key="column.at"
      role="columnheader"
      class="grid-th"
      :aria-colindex="columnIndex(column.at)"
      :class="{ meant: column.at === current }"
      :style="{ left: `${left}px`, width: `${wide}px`, height: `${height - 2}px` }"
      @click="current = column.at"
    >
      <slot :column="column" />
    </div>
    <div
      v-if="why"
      role="columnheader"
      class="grid-th"
      :aria-colindex="why.index"
      :style="{ left: `${why.left}px`, width: `${why.width}px`, height: `${height - 2}px` }"
    >
      Why<small>the reason, and what would do</small>
    </div>
  </div>
</template>
