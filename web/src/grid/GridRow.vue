<script setup lang="ts">
/** One row of the grid: its number, verdict and keys stay in sight, the other cells scroll. */
import type { Row } from "@/api/client";
import VerdictSign from "@/parts/VerdictSign.vue";

import type { GridColumn } from "./DataGrid.vue";
import GridCell from "./GridCell.vue";

const props = defineProps<{
  row: Row | undefined;
  keyed: { column: GridColumn; at: number }[];
  shown: { column: GridColumn; at: number; start: number; size: number }[];
  widths: number[];
  fixed: number;
  signs?: boolean;
  whole?: boolean;
  why?: { left: number; width: number };
}>();
const fault = (column: GridColumn): boolean =>
  !!props.row?.field && props.row.field === column.field && /re(ject|fus)ed/.test(props.row.state ?? "");
</script>

<template>
  <div role="row" class="grid-row" :class="row?.state">
    <template v-if="row">
      <div class="grid-fixed">
        <div role="rowheader" class="grid-no">{{ row.row }}</div>
        <div v-if="signs" role="gridcell" class="grid-sign">
          <VerdictSign v-if="row.state" :verdict="row.state" />
        </div>
        <GridCell
          v-for="{ column, at } in keyed"
          :key="at"
          class="!relative flex-none"
          :cell="row.cells[at]"
          :column="column"
          :fault="fault(column)"
          :whole="whole"
          :style="{ width: `${widths[at]}px` }"
        />
      </div>
      <GridCell
        v-for="{ column, at, start, size } in shown"
        :key="at"
        :cell="row.cells[at]"
        :column="column"
        :fault="fault(column)"
        :whole="whole"
        :style="{ left: `${fixed + start}px`, width: `${size}px` }"
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
    <div v-else role="gridcell" class="soft sticky left-16 w-40 px-3 text-[12.5px] leading-[28px]">…</div>
  </div>
</template>
