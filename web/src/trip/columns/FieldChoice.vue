<script setup lang="ts">
/** The field of a column: found by parts of its name, in a list that shows its type, whether it is a key, an example. */
import { Combobox, ComboboxButton, ComboboxInput } from "@headlessui/vue";
import { type ComponentPublicInstance, computed, ref } from "vue";

import { openWherePressed } from "@/ui/dropdown";
import OptionList from "@/ui/OptionList.vue";

import type { FieldOption } from "./fields";

const props = defineProps<{
  options: readonly FieldOption[];
  label: string;
  empty: string;
  tone: "carried" | "read" | "open";
  disabled?: boolean;
}>();
defineOptions({ inheritAttrs: false });
const chosen = defineModel<string>({ required: true });
const emit = defineEmits<{ chosen: [value: string] }>();
const text = ref("");
const labelOf = (value: unknown): string =>
  value === "" ? "" : (props.options.find((one) => one.value === value)?.label ?? "");
const found = computed(() => {
  const words = text.value.toLowerCase().split(/\s+/).filter(Boolean);
  return props.options.filter((one) => {
    const own = `${one.label} ${one.value} ${one.kind}`.toLowerCase();
    return words.every((word) => own.includes(word));
  });
});
const input = ref<HTMLElement>();
const typedIn = ref<ComponentPublicInstance>();
function take(value: string | null): void {
  text.value = "";
  if (value !== null && value !== chosen.value) emit("chosen", value);
}
/** Give it the focus; whether it could be had. */
function focus(): boolean {
  const field = typedIn.value?.$el as HTMLInputElement | undefined;
  field?.focus();
  return !!field && document.activeElement === field;
}
defineExpose({ focus });
</script>

<template>
  <Combobox :model-value="chosen" :disabled="disabled" nullable @update:model-value="take">
    <span ref="input" v-bind="$attrs" class="choice head relative mt-0.5 !p-0" :class="tone">
      <ComboboxInput
        ref="typedIn"
        class="w-full min-w-0 truncate rounded-md bg-transparent py-1 pr-6 pl-2 font-semibold placeholder:text-current"
        :aria-label="label"
        :placeholder="empty"
        :display-value="labelOf"
        :title="labelOf(chosen) || empty"
        autocomplete="off"
        spellcheck="false"
        @focus="($event.target as HTMLInputElement).select()"
        @click="openWherePressed"
        @change="text = ($event.target as HTMLInputElement).value"
        @blur="text = ''"
        @keydown.stop
      />
      <ComboboxButton
        class="absolute inset-y-0 right-0 grid w-6 place-items-center"
        :aria-label="`${label}, open the list`"
        ><svg width="10" height="10" viewBox="0 0 10 10" aria-hidden="true">
          <path d="M1 3 5 8 9 3" fill="none" stroke="currentColor" stroke-width="1.8" /></svg
      ></ComboboxButton>
    </span>
    <OptionList
      of="combobox"
      class="max-h-96 w-[440px]"
      :options="found"
      :anchor="input"
      none="No field is called that."
    >
      <template #whole="{ option: one }">
        <span class="grid w-full min-w-0 grid-cols-[1fr_auto] gap-x-3">
          <span class="truncate font-semibold">{{ one.label }}</span>
          <span class="soft text-data whitespace-nowrap">{{ one.kind }}</span>
          <span v-if="one.example || one.note" class="soft col-span-2 truncate text-fine"
            ><b v-if="one.note">{{ one.note }}</b>{{ one.note && one.example ? " · " : ""
            }}<template v-if="one.example">such as <span class="mono">{{ one.example }}</span></template></span
          >
        </span>
      </template>
    </OptionList>
  </Combobox>
</template>
