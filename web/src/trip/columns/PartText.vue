<script setup lang="ts">
/** A text of a sentence that is changed in place; it counts when it is left, or with Enter. */
import { ref, watch } from "vue";

const props = defineProps<{ label: string; number?: boolean; disabled?: boolean; empty?: string }>();
const chosen = defineModel<string>({ required: true });
const text = ref(chosen.value);
watch(chosen, (now) => (text.value = now));
function keep(): void {
  if (text.value !== chosen.value) chosen.value = text.value;
}
const width = (value: string): string => `${Math.min(28, Math.max(3, (value || (props.empty ?? "")).length + 1.5))}ch`;
</script>

<template>
  <input
    v-model="text"
    class="part-input mono font-bold"
    :class="{ unsaid: !text }"
    :style="{ width: width(text) }"
    :aria-label="label"
    :inputmode="number ? 'decimal' : undefined"
    :placeholder="empty ?? '…'"
    :disabled="disabled"
    autocomplete="off"
    spellcheck="false"
    @change="keep()"
    @blur="keep()"
    @keydown.enter.prevent="keep()"
    @keydown.stop
  /><small v-if="/^\s+$/.test(text)" class="soft" aria-hidden="true">(space)</small>
</template>
