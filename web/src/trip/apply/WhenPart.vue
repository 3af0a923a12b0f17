<script setup lang="ts">
/** When a plan is sent: now, or at a time. */
import { zone } from "@/parts/reading";

import { momentOf, thisEvening } from "./sending";

const at = defineModel<string>({ required: true });
function choose(event: Event): void {
  if (event.target instanceof HTMLSelectElement) at.value = event.target.value === "at" ? thisEvening() : "";
}
</script>

<template>
  <span class="inline-flex flex-wrap items-center gap-x-2">
    <select class="guard-part" name="when" aria-label="When it is sent" :value="at ? 'at' : ''" @change="choose">
      <option value="">now</option>
      <option value="at">at a time</option>
    </select>
    <input
      v-if="at"
      v-model="at"
      type="datetime-local"
      class="guard-part mono"
      name="at"
      aria-label="The day and time"
      :aria-invalid="momentOf(at) === undefined"
    />
    <span v-if="at" class="soft">{{ zone }}</span>
    <b v-if="momentOf(at) === undefined" class="text-held">has gone by</b>
  </span>
</template>
