<script setup lang="ts">
/** Beside the work: what the selected thing is, and what can be done with it. */
defineProps<{ label: string }>();
</script>

<template>
  <aside class="side" :aria-label="label"><slot /></aside>
</template>
