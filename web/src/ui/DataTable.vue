<script setup lang="ts" generic="Row">
/** A plain table: its head stays, and its columns can be put in order where that makes sense. */
import { computed } from "vue";

import { ordered, type TableColumn } from "./table";

const props = defineProps<{
  rows: readonly Row[];
  columns: readonly TableColumn<Row>[];
  id: (row: Row) => string | number;
  label: string;
  chosen?: string | number;
}>();
const order = defineModel<string>("order", { default: "" });
const shown = computed(() => ordered(props.rows, props.columns, order.value));
const sorted = (key: string): "ascending" | "descending" | undefined =>
  order.value === key ? "ascending" : order.value === `-${key}` ? "descending" : undefined;

function turn(key: string): void {
  order.value = order.value === key ? `-${key}` : order.value === `-${key}` ? "" : key;
}
</script>

<template>
  <div class="min-h-0 flex-1 overflow-auto" tabindex="0" role="region" :aria-label="label">
    <table class="plain-table">
      <thead class="sticky top-0 z-10">
        <tr>
          <th
            v-for="column in columns"
            :key="column.key"
            :class="{ '!text-right': column.right }"
            :aria-sort="sorted(column.key)"
          >
            <button v-if="column.by" type="button" class="inline-flex items-center gap-1" @click="turn(column.key)">
              {{ column.title }}
              <span class="w-2.5 text-fine" aria-hidden="true">{{
                order === column.key ? "↑" : order === `-${column.key}` ? "↓" : ""
              }}</span>
            </button>
            <template v-else>{{ column.title }}</template>
          </th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="row in shown" :key="id(row)" :class="{ chosen: chosen === id(row) }">
          <td v-for="column in columns" :key="column.key" :class="[column.class, { 'mono text-right': column.right }]">
            <slot :name="column.key" :row="row" />
          </td>
        </tr>
      </tbody>
    </table>
    <slot name="after" />
  </div>
</template>
