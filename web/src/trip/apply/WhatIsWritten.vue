<script setup lang="ts">
/** What a plan writes, in one table: rows by verdict, changes by field. */
import { computed } from "vue";

import { count, exact, many } from "@/parts/format";
import VerdictSign from "@/parts/VerdictSign.vue";

import { useTripContext } from "../context";

/** ``rowsOnly``: the changes by field stand elsewhere. */
const { rowsOnly } = defineProps<{ rowsOnly?: boolean }>();
const { trip } = useTripContext();
const verdicts = computed(() => trip.value.summary?.verdicts ?? {});
const written = computed(() =>
  ["create", "update", "delete"]
    .map((verdict) => ({ verdict, rows: verdicts.value[verdict] ?? 0 }))
    .filter((v) => v.rows),
);
const pointed = computed(() => [
  ...Object.entries(trip.value.pointed).map(([where, rows]) => ({ says: `point to records that go: ${where}`, rows })),
  ...Object.entries(trip.value.pointed_renames).map(([where, rows]) => ({
    says: `point to records that are renamed: ${where}`,
    rows,
  })),
]);
const columns = computed(() => (rowsOnly ? [] : trip.value.columns.filter((c) => c.changed)));
</script>

<template>
  <table class="plain-table">
    <tbody>
      <tr v-for="one in written" :key="one.verdict">
        <td class="w-8"><VerdictSign :verdict="one.verdict" /></td>
        <td>{{ one.verdict }}</td>
        <td class="mono text-right font-bold">{{ count(one.rows) }}</td>
      </tr>
      <tr v-if="trip.absent?.delete">
        <td class="w-8"><VerdictSign verdict="delete" /></td>
        <td>delete, not in the sheet</td>
        <td class="mono text-right font-bold">{{ count(trip.absent.delete) }}</td>
      </tr>
      <tr v-for="step in trip.first_steps" :key="step.row_id">
        <td />
        <td>one row goes through another value first</td>
        <td class="mono text-right">{{ step.text }}</td>
      </tr>
      <tr v-for="one in pointed" :key="one.says">
        <td />
        <td>{{ one.says }}</td>
        <td class="mono text-right text-held">{{ count(one.rows) }}</td>
      </tr>
      <tr v-for="c in columns" :key="c.column">
        <td />
        <td>{{ c.label }}</td>
        <td class="mono text-right">
          {{ many(c.changed, "change", "changes")
          }}<template v-if="c.before != null">, {{ exact(c.before) }} → {{ exact(c.after) }}</template>
        </td>
      </tr>
    </tbody>
  </table>
</template>
