<script setup lang="ts">
/** Says that something of the page is missing or old, and why. */
defineProps<{ says: string }>();
defineEmits<{ again: [] }>();
</script>

<template>
  <p
    class="flex flex-none flex-wrap items-center gap-x-3 bg-held-tint px-4 py-1 font-semibold text-held"
    role="status"
    data-testid="failed"
  >
    Not all of this page could be read: {{ says }}
    <button type="button" class="btn sm" @click="$emit('again')">Try again</button>
  </p>
</template>
