<script setup lang="ts">
/** A button that says that its work is under way, and cannot be pressed twice meanwhile. */
defineProps<{ busy?: boolean; disabled?: boolean; says?: string }>();
</script>

<template>
  <button class="btn" :disabled="disabled || busy" :aria-busy="busy || undefined">
    <template v-if="busy && says">{{ says }}</template>
    <slot v-else />
  </button>
</template>
