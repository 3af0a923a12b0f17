<script setup lang="ts">
/** A field's lane as the sentence that it is: where its values come from, and what is done to them. */
import { computed, nextTick, ref } from "vue";

import type { Schemas } from "@/api/client";
import ChoiceList from "@/ui/ChoiceList.vue";

import type { Lane, OfferedTreatment, Treatment } from "./lanes";
import PartText from "./PartText.vue";
import TreatmentPhrase from "./TreatmentPhrase.vue";

const FIXED = "\u0000fixed";
const props = defineProps<{
  kind: string;
  header: string;
  headers: readonly string[];
  treatments: readonly OfferedTreatment[];
  tables: readonly Schemas["Table"][];
  targets: readonly { value: string; label: string }[];
  tried: Schemas["TriedLane"] | undefined;
  disabled?: boolean;
}>();
const lane = defineModel<Lane>({ required: true });
defineEmits<{ sheet: [at: number, file: File] }>();

const sentence = ref<HTMLElement>();
const more = ref<{ focus: () => void }>();
defineExpose({ treat: () => more.value?.focus() });
const done = computed(() => lane.value.treatments);
const kindOf = (one: Treatment): OfferedTreatment | undefined => props.treatments.find((kind) => kind.do === one.do);
const fixed = computed(() => !!lane.value.fixed || lane.value.source === FIXED);
const source = computed(() => (fixed.value ? FIXED : lane.value.source || props.header));
const sources = computed(() => [
  ...props.headers.map((header) => ({ value: header, label: header })),
  { value: FIXED, label: "a fixed value", note: "for every row" },
]);
const set = (change: Partial<Lane>): void => {
  lane.value = { ...lane.value, ...change };
};
function take(value: string): void {
  if (value === FIXED) set({ source: FIXED, treatments: [], check: false });
  else set({ source: value === props.header ? "" : value, fixed: "" });
}
const EARLIER = "[aria-label^='Do it earlier']";
const LEAVE = "[aria-label^='Leave out']";
const FIRST_PART = "input, button:not(.part-remove)";
/** The focus into a treatment, once it is there: to the first of these controls that it has. */
function focusIn(at: number, ...controls: readonly string[]): void {
  void nextTick(() => {
    const phrase = sentence.value?.querySelectorAll("[data-testid=treatment]")[at];
    const found = controls.map((css) => phrase?.querySelector<HTMLElement>(css)).find((one) => one);
    if (found) found.focus();
    else more.value?.focus();
  });
}
/** One more treatment; its first part is what comes next. */
function add(name: string): void {
  const kind = props.treatments.find((one) => one.do === name);
  if (!kind) return;
  const at = done.value.length;
  set({ treatments: [...done.value, kind.initial] });
  focusIn(at, FIRST_PART);
}
const put = (at: number, one: Treatment): void => {
  set({ treatments: done.value.map((other, place) => (place === at ? one : other)) });
};
const leave = (at: number): void => {
  set({ treatments: done.value.filter((_, place) => place !== at) });
  focusIn(at, LEAVE);
};
function earlier(at: number): void {
  const made = [...done.value];
  const [one] = made.splice(at, 1);
  if (one) made.splice(at - 1, 0, one);
  set({ treatments: made });
  focusIn(at - 1, EARLIER, LEAVE);
}
const many = computed(() => props.kind === "choices");
const ROLES = [
  { value: "take", label: "Take" },
  { value: "check", label: "Only check", note: "compared, never written" },
];
const ADDS = [
  { value: "set", label: "set exactly these" },
  { value: "add", label: "add them to what is there" },
];
const then = computed(() => props.treatments.map((one) => ({ value: one.do, label: one.title })));
</script>

<template>
  <p ref="sentence" class="lane-sentence" data-testid="lane">
    <template v-if="fixed"
      >For every row
      <ChoiceList
        as="part"
        label="Where the values come from"
        :model-value="source"
        :options="sources"
        :disabled="disabled"
        @chosen="take"
      />:
      <PartText
        :model-value="lane.fixed ?? ''"
        label="The value of every row"
        empty="value"
        :disabled="disabled"
        @update:model-value="set({ fixed: $event, source: $event ? '' : FIXED })"
      />
    </template>
    <template v-else>
      <ChoiceList
        as="part"
        class="plain-part"
        label="What the column is for"
        :model-value="lane.check ? 'check' : 'take'"
        :options="ROLES"
        :disabled="disabled"
        @chosen="set({ check: $event === 'check' })" />{{ " " }}
      <ChoiceList
        as="part"
        label="Where the values come from"
        empty="which column?"
        :model-value="source"
        :options="sources"
        :disabled="disabled"
        @chosen="take" /><template v-for="(one, at) in done" :key="`${at} ${one.do}`"
        >,
        <TreatmentPhrase
          v-if="kindOf(one)"
          :kind="kindOf(one)!"
          :model-value="one"
          :step="tried?.steps[at]"
          :values="tried?.values ?? []"
          :headers="headers"
          :tables="tables"
          :targets="targets"
          :first="!at"
          :disabled="disabled"
          @update:model-value="put(at, $event)"
          @leave="leave(at)"
          @earlier="earlier(at)"
          @sheet="$emit('sheet', at, $event)" /></template
    ></template>
    <template v-if="many && !fixed"
      >, split at
      <PartText
        :model-value="lane.separator === '\n' ? '\\n' : (lane.separator ?? ';')"
        label="What stands between the items"
        :disabled="disabled"
        @update:model-value="set({ separator: $event === '\\n' ? '\n' : $event || ';' })"
      />
      and</template
    >
    <template v-if="many"
      >{{ " " }}
      <ChoiceList
        as="part"
        label="What becomes of the items"
        :model-value="lane.adds ? 'add' : 'set'"
        :options="ADDS"
        :disabled="disabled || lane.check"
        @chosen="set({ adds: $event === 'add' })" /></template
    >{{ " " }}
    <ChoiceList
      v-if="!fixed && !disabled"
      ref="more"
      :key="done.length"
      as="part"
      class="lane-then"
      label="Treat the values:"
      empty="+ then…"
      :model-value="''"
      :options="then"
      @chosen="add"
    />
  </p>
</template>
