<script setup lang="ts">
/** One row of the grid: its number, verdict and keys stay in sight, the other cells scroll. */
import type { Row } from "@/api/client";
import VerdictSign from "@/parts/VerdictSign.vue";

import type { GridColumn } from "./columns";
import GridCell from "./GridCell.vue";

const props = defineProps<{
  id: string;
  row: Row | undefined;
  keyed: { column: GridColumn; width: number }[];
  shown: { column: GridColumn; left: number; width: number }[];
  signs?: boolean;
  whole?: boolean;
  /** Whether each row says, and lets choose, if it is carried. */
  ticks?: boolean;
  why?: { left: number; width: number };
  /** The column that is meant in this row, -1 for the whole row; undefined where another row is. */
  meant?: number;
  /** The column whose cell is being typed in. */
  typing?: number;
  columnIndex: (at: number) => number;
}>();
defineEmits<{
  tick: [range: boolean];
  cell: [at: number];
  typed: [text: string, step: "down" | "right" | "stay"];
  left: [];
}>();
const fault = (column: GridColumn): boolean =>
  !!column.field && props.row?.faults[0]?.field === column.field && /re(ject|fus)ed/.test(props.row.state ?? "");
</script>

<template>
  <div :id="id" role="row" class="grid-row" :class="[row?.state, { 'left-out': row?.left_out }]">
    <template v-if="row">
      <div role="presentation" class="grid-fixed">
        <div role="rowheader" aria-colindex="1" class="grid-no">
          <input
            v-if="ticks"
            type="checkbox"
            tabindex="-1"
            class="grid-tick"
            :checked="!row.left_out"
            :aria-label="`Carry row ${row.row}`"
            @click.stop.prevent="$emit('tick', $event.shiftKey)"
          />{{ row.row }}
        </div>
        <div v-if="signs" role="gridcell" aria-colindex="2" class="grid-sign">
          <VerdictSign v-if="row.state" :verdict="row.state" />
        </div>
        <GridCell
          v-for="{ column, width } in keyed"
          :id="`${id}-c${column.at}`"
          :key="column.at"
          class="!relative flex-none"
          :class="{ meant: meant === column.at }"
          :aria-colindex="columnIndex(column.at)"
          :cell="row.cells[column.at]"
          :column="column"
          :fault="fault(column)"
          :whole="whole"
          :typing="typing === column.at"
          :style="{ width: `${width}px` }"
          @typed="(text, step) => $emit('typed', text, step)"
          @left="$emit('left')"
          @click="$emit('cell', column.at)"
        />
      </div>
      <GridCell
        v-for="{ column, left, width } in shown"
        :id="`${id}-c${column.at}`"
        :key="column.at"
        :class="{ meant: meant === column.at }"
        :aria-colindex="columnIndex(column.at)"
        :cell="row.cells[column.at]"
        :column="column"
        :fault="fault(column)"
        :whole="whole"
        :typing="typing === column.at"
        :style="{ left: `${left}px`, width: `${width}px` }"
        @typed="(text, step) => $emit('typed', text, step)"
        @left="$emit('left')"
        @click="$emit('cell', column.at)"
      />
      <div
        v-if="why"
        role="gridcell"
        class="grid-why"
        :title="row.reason ?? ''"
        :style="{ left: `${why.left}px`, width: `${why.width}px` }"
      >
        {{ row.reason }}
      </div>
    </template>
    <div v-else role="gridcell" class="soft sticky left-16 w-40 px-3 text-data leading-[28px]">…</div>
  </div>
</template>
