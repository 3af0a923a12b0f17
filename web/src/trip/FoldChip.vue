<script setup lang="ts">
/** Says how many columns are folded away because nothing changes in them, and unfolds them. */
import { many } from "@/parts/format";

defineProps<{ columns: number }>();
const unfolded = defineModel<boolean>({ required: true });
</script>

<template>
  <button v-if="columns" type="button" class="chip" :aria-pressed="unfolded" @click="unfolded = !unfolded">
    {{ many(columns, "unchanged column", "unchanged columns") }}
  </button>
</template>
