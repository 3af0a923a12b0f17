<script setup lang="ts">
/** Which rows of the sheet are carried: all, or those for which a condition on its own columns holds. */
import { computed, ref, watch } from "vue";

import { count, many } from "@/parts/format";

import { useTripContext } from "../context";
import { useEditing } from "../edit/editing";

const { trip, mayPrepare } = useTripContext();
const { only, open } = useEditing();
const text = ref("");
watch(
  () => trip.value.row_filter.condition,
  (now) => (text.value = now),
  { immediate: true },
);
const names = computed(() => trip.value.columns.map((c) => c.name_in_conditions).filter(Boolean));
const example = computed(() => `${names.value[0] ?? "Done"} eq '…'`);
const out = computed(() => trip.value.sum.aside ?? 0);
const keep = (condition: string): void => {
  if (condition !== trip.value.row_filter.condition) only({ condition });
};
</script>

<template>
  <section class="card" data-testid="which-rows">
    <b>Which rows are carried</b>
    <form v-if="mayPrepare" class="mt-1 grid gap-1.5" @submit.prevent="keep(text)">
      <label
        ><span class="text-small">Rows where</span>
        <input
          v-model="text"
          class="input mono"
          name="only"
          autocomplete="off"
          spellcheck="false"
          placeholder="all rows"
          aria-label="Carry only rows where"
      /></label>
      <span class="flex flex-wrap gap-1.5">
        <button type="submit" class="btn sm" :disabled="!open || text.trim() === trip.row_filter.condition">
          {{ text.trim() ? "Carry only these" : "Carry all rows" }}
        </button>
        <button v-if="trip.row_filter.condition" type="button" class="btn sm" :disabled="!open" @click="keep('')">
          All rows again
        </button>
      </span>
    </form>
    <p v-else>{{ trip.row_filter.condition || "All rows" }}</p>
    <p v-if="mayPrepare" class="mt-1 flex flex-wrap items-center gap-1.5">
      <span class="text-small">Rows are ticked in the grid, or with <kbd>X</kbd>:</span>
      <button type="button" class="btn sm" :disabled="!open" @click="only({ carry: 'none' })">Leave all out</button>
      <button
        v-if="trip.row_filter.left_out"
        type="button"
        class="btn sm"
        :disabled="!open"
        @click="only({ carry: 'all' })"
      >
        Take all in
      </button>
    </p>
    <p v-if="trip.row_filter.condition || trip.row_filter.left_out" class="mt-1">
      {{ many(out, "row is", "rows are") }} set aside{{
        trip.row_filter.left_out ? `, ${count(trip.row_filter.left_out)} of them left out by hand` : ""
      }}.
    </p>
    <details class="mt-1 text-small">
      <summary>How the columns are named in it</summary>
      <p class="mono mt-1 break-words">{{ names.join(" · ") }}</p>
      <p class="soft">For example <span class="mono">{{ example }}</span></p>
    </details>
  </section>
</template>
