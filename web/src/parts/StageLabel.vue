<script setup lang="ts">
defineProps<{ stage: string }>();
</script>

<template>
  <span class="stage" :class="stage">{{ stage === "live" ? "LIVE" : "PRACTICE" }}</span>
</template>
