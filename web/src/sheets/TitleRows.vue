<script setup lang="ts">
/** The rows above the header, as they stand in the file: seen, and not read as records. */
import { computed } from "vue";

import type { Schemas } from "@/api/client";
import { count } from "@/parts/format";

const MOST = 4;
const props = defineProps<{ found: Schemas["Found"] }>();
const above = computed(() => {
  const header = props.found.header_row ?? 1;
  const first = props.found.first_rows;
  return header ? first.filter(({ row }) => row < header) : [];
});
const shown = computed(() => above.value.slice(0, MOST));
</script>

<template>
  <div v-if="shown.length" class="flex-none border-b border-rule bg-sunk" data-testid="above">
    <p v-for="{ row, text } in shown" :key="row" class="flex h-[26px] items-center border-b border-rule last:border-0">
      <span class="mono soft w-[58px] flex-none border-r border-rule px-2.5 text-right text-data">{{
        count(row)
      }}</span>
      <span class="mono soft truncate px-2.5 text-data" :title="text">{{ text }}</span>
    </p>
    <p v-if="above.length > MOST" class="soft px-2.5 py-1 pl-[68px] text-data">
      and {{ above.length - MOST }} more rows above the header
    </p>
  </div>
</template>
