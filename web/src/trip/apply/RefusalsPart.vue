<script setup lang="ts">
/** What is done where the application refuses a row, as a part of a sentence. */
import { stopAfter, stops, type Trouble } from "./trouble";

const trouble = defineModel<Trouble>({ required: true });
defineProps<{ canBeAtomic: boolean }>();
const isHow = (text: string): text is Trouble["how"] => ["on", "stop", "back", "none"].includes(text);
function choose(event: Event): void {
  const how = event.target instanceof HTMLSelectElement ? event.target.value : "";
  if (isHow(how)) trouble.value = { ...trouble.value, how };
}
function limit(event: Event): void {
  if (event.target instanceof HTMLInputElement) trouble.value = { ...trouble.value, after: event.target.value };
}
</script>

<template>
  <span class="inline-flex flex-wrap items-center gap-x-2">
    <select class="guard-part" aria-label="Where a row is refused" :value="trouble.how" @change="choose">
      <option value="on">carry on with the others</option>
      <option value="stop">stop, and leave the rest</option>
      <option value="back">stop, and prepare to take back what it wrote</option>
      <option v-if="canBeAtomic" value="none">write none of them</option>
    </select>
    <template v-if="stops(trouble)"
      >once
      <input
        class="guard-part mono w-12"
        inputmode="numeric"
        aria-label="After how many refusals"
        :aria-invalid="stopAfter(trouble) === undefined"
        :value="trouble.after"
        @change="limit"
      />
      {{ trouble.after.trim() === "1" ? "was refused" : "were refused" }}</template
    >
  </span>
</template>
