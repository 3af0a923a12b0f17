<script setup lang="ts">
/** Find and replace in a column, or in all of them; in the rows that are shown. */
import { ref } from "vue";

import type { Column, Schemas } from "@/api/client";

import { useEditing } from "./editing";

const props = defineProps<{ column: Column | undefined; shown?: Schemas["Shown"] }>();
const { edit, open } = useEditing();
const find = ref("");
const put = ref("");
const pattern = ref(false);
const whole = ref(false);
const everywhere = ref(false);

function start(): void {
  const column = everywhere.value ? "" : (props.column?.column ?? "");
  const replace = { find: find.value, put: put.value, pattern: pattern.value, whole: whole.value, capitals: true };
  edit({ kind: "replace", column, replace, shown: props.shown }, "Replaced. Undo it among the edits.");
}
</script>

<template>
  <details class="card" data-testid="replace">
    <summary class="font-semibold">Find and replace</summary>
    <form class="mt-1.5 grid gap-1.5 text-small" @submit.prevent="start()">
      <label
        ><span class="field-label">Find</span>
        <input v-model="find" class="input mono" name="find" required autocomplete="off"
      /></label>
      <label
        ><span class="field-label">Put in its place</span>
        <input v-model="put" class="input mono" name="put" autocomplete="off"
      /></label>
      <label><input v-model="whole" type="checkbox" /> the whole cell</label>
      <label><input v-model="pattern" type="checkbox" /> as a regular expression ($1 is its first group)</label>
      <label><input v-model="everywhere" type="checkbox" :disabled="!column" /> in all columns</label>
      <button type="submit" class="btn sm justify-self-start" :disabled="!open || !find || (!column && !everywhere)">
        Replace in {{ everywhere || !column ? "all columns" : column.header || column.column }}
      </button>
    </form>
  </details>
</template>
