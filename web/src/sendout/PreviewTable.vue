<script setup lang="ts">
/** The first rows of the sheet as it will be; records are picked by their ticks. */
import type { Schemas } from "@/api/client";

import { noteOf, type Offered } from "@/conditions/fields";

const props = defineProps<{
  preview: Schemas["Preview"];
  chosen: readonly string[];
  fields: ReadonlyMap<string, Offered>;
  type: Schemas["RecordType"];
  fixed: ReadonlySet<string>;
  /** Nothing but the header goes out. */
  empty?: boolean;
}>();
const ticked = defineModel<string[]>("ticked", { required: true });
const isNumber = (at: number): boolean =>
  ["decimal", "whole number"].includes(props.fields.get(props.chosen[at] ?? "")?.field.kind ?? "");
const note = (at: number): string => {
  const why = !props.fixed.has(props.chosen[at] ?? "") && props.preview.for_reading[at];
  return why ? "for reading" : noteOf(props.fields.get(props.chosen[at] ?? ""), props.type, props.fixed);
};
function tick(id: string): void {
  ticked.value = ticked.value.includes(id) ? ticked.value.filter((other) => other !== id) : [...ticked.value, id];
}
</script>

<template>
  <table class="border-collapse text-small" aria-label="The sheet as it will be">
    <thead class="sticky top-0 z-10">
      <tr>
        <th v-if="!empty" class="head w-8"><span class="sr-only">Picked</span></th>
        <th v-for="(header, at) in preview.headers" :key="at" class="head" :title="preview.for_reading[at]">
          {{ header }} <small class="soft block text-fine font-normal">{{ note(at) }}</small>
        </th>
      </tr>
    </thead>
    <tbody v-if="!empty">
      <tr v-for="(row, at) in preview.rows" :key="preview.ids[at]">
        <td class="cell text-center">
          <input
            type="checkbox"
            class="h-4 w-4 accent-marine"
            :checked="ticked.includes(preview.ids[at] ?? '')"
            :aria-label="`Pick row ${at + 1}`"
            @change="tick(preview.ids[at] ?? '')"
          />
        </td>
        <td
          v-for="(cell, c) in row"
          :key="c"
          class="cell mono max-w-[260px] truncate"
          :class="{ 'text-right': isNumber(c), 'bg-[#faf9f5] text-ink-faint': preview.for_reading[c] }"
        >
          {{ cell }}
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
@reference "../styles/main.css";
.head {
  @apply border-r border-b-2 border-rule border-b-rule-strong bg-sunk px-2.5 py-1.5 text-left font-semibold whitespace-nowrap;
}
.cell {
  @apply h-[29px] border-r border-b border-[#ECE8DD] px-2.5 text-data;
}
</style>
