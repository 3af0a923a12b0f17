<script setup lang="ts">
/** Says how many columns are folded away because nothing changes in them, and unfolds them. */
import { count } from "@/parts/format";

defineProps<{ columns: number }>();
const unfolded = defineModel<boolean>({ required: true });
</script>

<template>
  <button v-if="columns" type="button" class="chip" :aria-pressed="unfolded" @click="unfolded = !unfolded">
    {{ count(columns) }} unchanged
  </button>
</template>
