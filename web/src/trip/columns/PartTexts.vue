<script setup lang="ts">
/** Several texts of a sentence: each is left out with a press, another is offered from the column's own values. */
import SearchPart from "@/ui/SearchPart.vue";
import type { Option } from "@/ui/choosing";

const props = defineProps<{ label: string; options: readonly Option<string>[]; free?: boolean; disabled?: boolean }>();
const chosen = defineModel<string[]>({ required: true });
function add(value: string): void {
  if (value.trim() && !chosen.value.includes(value)) chosen.value = [...chosen.value, value];
}
</script>

<template>
  <template v-for="(one, at) in chosen" :key="one">
    <span v-if="at" class="soft">, </span>
    <button
      type="button"
      class="part-value mono"
      :disabled="disabled"
      :aria-label="`${label}: leave ${one} out`"
      :title="`Leave ${one} out`"
      @click="chosen = chosen.filter((other) => other !== one)"
    >
      {{ one }}
    </button>
  </template>
  {{ " " }}
  <SearchPart
    v-if="!disabled"
    model-value=""
    clears
    :free="free"
    :typed-first="props.free"
    :label="label"
    :empty="chosen.length ? '+ or' : 'which?'"
    :options="options.filter((one) => !chosen.includes(one.value))"
    @chosen="add"
  />
</template>
