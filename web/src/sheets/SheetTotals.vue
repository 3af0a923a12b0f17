<script setup lang="ts">
/** The sums of a waiting sheet's columns of numbers. */
import { computed } from "vue";

import type { Schemas } from "@/api/client";
import { exact } from "@/parts/format";

const props = defineProps<{ columns: Schemas["SheetColumn"][] }>();
const sums = computed(() => props.columns.filter((one) => one.totals?.sum));
</script>

<template>
  <section v-if="sums.length" class="card" data-testid="totals">
    <b>Totals</b>
    <p v-for="one in sums" :key="one.name" class="flex flex-wrap gap-x-2 text-small">
      <span class="max-w-full truncate" :title="one.header">{{ one.header || "no name" }}</span
      ><span class="mono ml-auto text-right wrap-anywhere !text-ink">{{ exact(one.totals?.sum) }}</span>
    </p>
  </section>
</template>
