<script setup lang="ts">
/** What reading back found otherwise than it was sent, row by row. */
import { computed, ref } from "vue";

import type { Schemas } from "@/api/client";
import { count, many } from "@/parts/format";

const { report, label } = defineProps<{ report: Schemas["Report"]; label: (field: string) => string }>();
/** Rows that are named here; the receipt has them all. */
const SHOWN = 50;
const open = ref(false);
const values = computed(() => report.counts?.differences ?? report.differences.length);
const gone = computed(() => report.counts?.lost ?? report.lost.length);
const words = computed(() =>
  [
    values.value && `${many(values.value, "value is", "values are")} not as sent`,
    gone.value && `${many(gone.value, "record is", "records are")} not there`,
  ]
    .filter(Boolean)
    .join(", "),
);
const rows = computed(() => [
  ...report.lost.map((row) => ({ row, says: "its record is not there" })),
  ...report.differences.map((one) => ({
    row: one.row,
    says: `${label(one.field)} is ${one.found ?? "empty"}, not ${one.sent ?? "empty"} as sent`,
  })),
]);
</script>

<template>
  <section v-if="values + gone" class="max-h-56 flex-none overflow-auto bg-held-tint px-4 py-1" aria-label="Read back">
    <p class="font-semibold text-held" role="alert">
      Read back: {{ words }} ({{ count(report.as_sent) }} of {{ count(report.records) }} records are).
      <button v-if="rows.length" type="button" class="btn sm ml-2" :aria-expanded="open" @click="open = !open">
        {{ open ? "Fold them" : "Show which" }}
      </button>
    </p>
    <ul v-if="open" class="mt-1 text-small">
      <li v-for="(one, at) in rows.slice(0, SHOWN)" :key="at">
        row <span class="mono">{{ count(one.row) }}</span>: {{ one.says }}
      </li>
      <li v-if="values + gone > SHOWN">… and {{ count(values + gone - SHOWN) }} more; the receipt names them.</li>
    </ul>
  </section>
</template>
