<script setup lang="ts">
/** One of many, searched by what is typed; a part of a sentence. With `free`, what is typed may be none of them. */
import { Combobox, ComboboxInput } from "@headlessui/vue";
import { type ComponentPublicInstance, computed, nextTick, ref } from "vue";

import type { Option } from "./choosing";
import { openWherePressed } from "./dropdown";
import OptionList from "./OptionList.vue";

const props = defineProps<{
  options: readonly Option<string>[];
  label: string;
  empty?: string;
  free?: boolean;
  /** What is typed comes before what is offered. */
  typedFirst?: boolean;
  bold?: boolean;
  /** What is chosen is taken elsewhere, and the field is empty again. */
  clears?: boolean;
  /** What fits the typed text is still being asked for. */
  waiting?: boolean;
}>();
const chosen = defineModel<string>({ required: true });
const emit = defineEmits<{ chosen: [value: string]; typed: [text: string]; early: [text: string]; opened: [] }>();
const MOST = 200;
const text = ref("");
const labelOf = (value: unknown): string =>
  props.options.find((one) => one.value === value)?.label ?? (props.free && typeof value === "string" ? value : "");
const found = computed(() => {
  const low = text.value.toLowerCase();
  const fits = props.options.filter((one) => `${one.label} ${one.value}`.toLowerCase().includes(low));
  const own = text.value.trim();
  if (props.free && own && !(props.waiting && !props.typedFirst) && !fits.some((one) => one.value === own))
    fits.splice(props.typedFirst ? 0 : MOST - 1, 0, { value: own, label: own, note: "as typed" });
  return fits.slice(0, MOST);
});
const shown = computed(() => labelOf(chosen.value) || props.empty || "");
const input = ref<HTMLElement>();
const typedIn = ref<ComponentPublicInstance>();
const field = (): HTMLInputElement | undefined => typedIn.value?.$el as HTMLInputElement | undefined;
function typed(event: Event): void {
  if (!(event.target instanceof HTMLInputElement)) return;
  text.value = event.target.value;
  emit("typed", text.value);
}
/** Enter before it is known what fits: whoever asks for that takes it then, and the next can be typed. */
function early(event: Event): void {
  const own = text.value.trim();
  if (!props.waiting || props.typedFirst || !own) return;
  event.preventDefault();
  event.stopImmediatePropagation();
  emit("early", own);
  clear();
  // The list would stay over what is clicked next.
  field()?.dispatchEvent(new KeyboardEvent("keydown", { key: "Escape" }));
}
/** What was typed counts when the field is left, where anything may be typed. */
function left(): void {
  const own = text.value.trim();
  text.value = "";
  if (!props.free || !own || own === labelOf(chosen.value)) return;
  // Before it is known what fits, it is taken as what is entered early is.
  if (props.waiting && !props.typedFirst) emit("early", own);
  else take(own);
}
function take(value: string | null): void {
  if (value === null) return;
  text.value = "";
  emit("chosen", value);
  if (props.clears) clear();
  else chosen.value = value;
}
function clear(): void {
  text.value = "";
  emit("typed", "");
  void nextTick(() => {
    const own = field();
    if (own) own.value = props.clears ? "" : labelOf(chosen.value);
  });
}
defineExpose({ focus: () => field()?.focus() });
</script>

<template>
  <Combobox :model-value="chosen" @update:model-value="take">
    <span ref="input" class="inline-flex">
      <ComboboxInput
        ref="typedIn"
        class="part-input"
        :class="{ unsaid: !chosen, 'font-bold': bold }"
        :style="{ width: `${Math.min(34, Math.max(3, (text || shown).length + 1.5))}ch` }"
        :aria-label="label"
        :placeholder="empty"
        :display-value="labelOf"
        autocomplete="off"
        spellcheck="false"
        @focus="
          emit('opened');
          ($event.target as HTMLInputElement).select();
        "
        @click="openWherePressed"
        @change="typed"
        @blur="left"
        @keydown.enter.capture="early"
        @keydown.stop
      />
    </span>
    <OptionList
      of="combobox"
      class="max-h-80 max-w-[420px] min-w-52"
      :options="found"
      :anchor="input"
      :none="waiting ? 'Looking…' : free ? 'Type a value.' : 'Nothing is called that.'"
    />
  </Combobox>
</template>
