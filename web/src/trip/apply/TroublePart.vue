<script setup lang="ts">
/** What a pass does where rows are refused: one sentence with its choices. */
import { computed, watch } from "vue";

import { stops, type Trouble } from "./trouble";

const trouble = defineModel<Trouble>({ required: true });
const props = defineProps<{ canBeAtomic: boolean }>();
watch(
  () => props.canBeAtomic,
  (can) => {
    if (!can && trouble.value.how === "none") trouble.value = { ...trouble.value, how: "on" };
  },
);
const choices = computed<{ how: Trouble["how"]; says: string }[]>(() => [
  { how: "on", says: "carry on with the others" },
  { how: "stop", says: "stop, and leave the rest to be sent later" },
  { how: "back", says: "stop, and prepare to take back what this pass wrote" },
  ...(props.canBeAtomic
    ? [{ how: "none" as const, says: "all or nothing: if one row is refused, none is written" }]
    : []),
]);
</script>

<template>
  <fieldset class="mb-3 grid gap-1">
    <legend class="font-bold">Where rows are refused</legend>
    <div v-for="one in choices" :key="one.how" class="flex flex-wrap items-center gap-x-2">
      <label class="flex items-center gap-2">
        <input
          type="radio"
          name="trouble"
          :checked="trouble.how === one.how"
          @change="trouble = { ...trouble, how: one.how }"
        />{{ one.says }}
      </label>
      <label v-if="stops(trouble) && trouble.how === one.how" class="ml-6 flex items-center gap-2">
        once
        <input
          class="guard-part mono w-12"
          inputmode="numeric"
          aria-label="Refusals after which it stops"
          :value="trouble.after"
          @input="trouble = { ...trouble, after: ($event.target as HTMLInputElement).value }"
        />
        {{ trouble.after.trim() === "1" ? "row was refused" : "rows were refused" }}
      </label>
    </div>
  </fieldset>
</template>
