<script setup lang="ts">
/** Columns of which nobody knows whether a spreadsheet damaged them, since not all values of the type could be read. */
import { computed } from "vue";

import VerdictSign from "@/parts/VerdictSign.vue";

import { useTripContext } from "../context";

const { trip } = useTripContext();
const headers = computed(() => {
  const fields = trip.value.summary?.patterns_not_read ?? [];
  return trip.value.columns.filter((one) => one.field && fields.includes(one.field)).map((one) => one.header);
});
</script>

<template>
  <section v-if="headers.length" class="card" data-testid="not-looked-for">
    <b>What was not looked for</b>
    <div class="mt-1 grid grid-cols-[18px_minmax(0,1fr)] gap-2 text-small">
      <VerdictSign verdict="held" />
      <span class="break-words"
        ><b>{{ headers.join(", ") }}</b>: whether a spreadsheet took zeros or figures away, or made a day of a code. The
        application has too many records to read all their values. Look through
        {{ headers.length > 1 ? "these columns" : "this column" }} yourself.</span
      >
    </div>
  </section>
</template>
