<script setup lang="ts">
/** What went wrong, or must be known, where it belongs. */
withDefaults(defineProps<{ tone?: "bad" | "held" }>(), { tone: "bad" });
</script>

<template>
  <p class="alert" :class="tone" :role="tone === 'bad' ? 'alert' : 'status'"><slot /></p>
</template>
