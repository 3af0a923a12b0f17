<script setup lang="ts" generic="Value extends string">
/** One of a list: opened, searched by its first letters and chosen with the keys; never cut off by what it stands in. */
import { Listbox, ListboxButton } from "@headlessui/vue";
import { type ComponentPublicInstance, computed, ref } from "vue";

import type { Option } from "./choosing";
import OptionList from "./OptionList.vue";

const props = defineProps<{
  options: readonly Option<Value>[];
  /** What is chosen here, for those who do not see what stands beside it. */
  label: string;
  /** Said while nothing is chosen. */
  empty?: string;
  disabled?: boolean;
  /** How the button looks: a pill among filters, a field of a form, or a part of a sentence. */
  as?: "pill" | "field" | "head" | "part";
  tone?: "carried" | "read" | "open";
}>();
defineOptions({ inheritAttrs: false });
const chosen = defineModel<Value>({ required: true });
const emit = defineEmits<{ chosen: [value: Value] }>();
const current = computed(() => props.options.find((option) => option.value === chosen.value));
const words = computed(() => current.value?.label ?? props.empty ?? "Choose…");

const button = ref<HTMLElement>();
const opener = ref<ComponentPublicInstance>();
defineExpose({ focus: () => (opener.value?.$el as HTMLElement | undefined)?.focus() });
</script>

<template>
  <Listbox v-model="chosen" :disabled="disabled" @update:model-value="(value: Value) => emit('chosen', value)">
    <span
      ref="button"
      v-bind="$attrs"
      class="inline-flex min-w-0"
      :class="{ 'w-full': as !== 'pill' && as !== 'part', 'max-w-full': as === 'part' }"
    >
      <ListboxButton
        ref="opener"
        class="choice"
        :class="[as ?? 'field', tone, { unsaid: !current }]"
        :aria-label="`${label} ${words}`"
        :title="`${label}: ${words}`"
      >
        <slot name="before" :option="current" />{{ $slots.before ? " " : "" }}
        <span class="truncate" :class="{ soft: !current && as !== 'part' }">{{ words }}</span>
        <svg
          v-if="as !== 'part'"
          class="ml-auto flex-none"
          width="10"
          height="10"
          viewBox="0 0 10 10"
          aria-hidden="true"
        >
          <path d="M1 3 5 8 9 3" fill="none" stroke="currentColor" stroke-width="1.8" />
        </svg>
      </ListboxButton>
    </span>
    <OptionList
      v-slot="{ option }"
      of="listbox"
      as-wide
      :options="options"
      :anchor="button"
      none="There is nothing to choose from."
    >
      <slot name="option" :option="option"><span class="truncate">{{ option.label }}</span></slot>
    </OptionList>
  </Listbox>
</template>
