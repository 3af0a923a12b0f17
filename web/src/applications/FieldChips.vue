<script setup lang="ts">
/** Fields of which something is said, each to be taken off, and a way to say it of another. */
interface Named {
  name: string;
  title: string;
}
defineProps<{
  chosen: readonly Named[];
  others: readonly Named[];
  mayChange: boolean;
  disabled: boolean;
  /** What the list of the others is called. */
  label: string;
  /** Behind a field's title: what it is after it was taken off. */
  off: string;
}>();
const emit = defineEmits<{ add: [field: string]; remove: [field: string] }>();
function add(event: Event): void {
  if (!(event.target instanceof HTMLSelectElement) || !event.target.value) return;
  emit("add", event.target.value);
  event.target.value = "";
}
</script>

<template>
  <span v-if="!chosen.length && !mayChange">no field</span>
  <span v-for="field in chosen" :key="field.name" class="chip flex items-center gap-1">
    {{ field.title }}
    <button
      v-if="mayChange"
      type="button"
      class="min-h-6 px-1"
      :disabled="disabled"
      :aria-label="`${field.title} ${off}`"
      @click="$emit('remove', field.name)"
    >
      ×
    </button>
  </span>
  <select v-if="mayChange" class="guard-part" :aria-label="label" :disabled="disabled" @change="add">
    <option value="">{{ chosen.length ? "another field…" : "no field" }}</option>
    <option v-for="field in others" :key="field.name" :value="field.name">{{ field.title }}</option>
  </select>
</template>
