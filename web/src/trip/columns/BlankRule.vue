<script setup lang="ts">
/** What a field's blank cells mean, and whether filled fields are overwritten: a sentence whose parts can be changed. */
import { computed, ref, watch } from "vue";

import type { Column } from "@/api/client";
import { many } from "@/parts/format";
import ChoiceList from "@/ui/ChoiceList.vue";

import type { Lane } from "./lanes";

const props = defineProps<{ column: Column; lane: Lane; others: number; once?: boolean; disabled?: boolean }>();
const emit = defineEmits<{ change: [lane: Lane]; all: [onlyEmpty: boolean] }>();

/** A default is being typed before it is a rule. */
const asking = ref(false);
const text = ref("");
watch(
  () => [props.column.column, props.lane] as const,
  () => {
    asking.value = false;
    text.value = props.lane.default;
  },
  { immediate: true },
);
const means = computed(() => (asking.value ? "default" : props.lane.blank));
const BLANK = [
  { value: "leave", label: "leaves the record as it is" },
  { value: "clear", label: "clears the field" },
  { value: "default", label: "stands for a default" },
];
const RECORDS = [
  { value: "new", label: "in new records" },
  { value: "all", label: "in all records" },
];
const WRITES = [
  { value: "always", label: "every field" },
  { value: "empty", label: "only empty fields" },
];

function choose(blank: string): void {
  if (blank === "default") asking.value = true;
  else if (blank !== props.lane.blank || asking.value)
    emit("change", { ...props.lane, blank: blank as Lane["blank"], default: "", updates: false });
}
function keep(): void {
  if (text.value.trim() && (asking.value || text.value !== props.lane.default))
    emit("change", { ...props.lane, blank: "default", default: text.value });
}
</script>

<template>
  <section class="card" data-testid="blank-rule">
    <b>When a cell is blank, and when it is not</b>
    <p class="sentence">
      A blank cell
      <ChoiceList
        as="part"
        label="A blank cell"
        :model-value="means"
        :options="BLANK"
        :disabled="disabled"
        @chosen="choose($event)"
      /><template v-if="means === 'default'"
        >:
        <form class="inline" @submit.prevent="keep()">
          <input
            v-model="text"
            class="input !inline-block !w-28"
            :aria-label="`Default of ${column.label}`"
            :disabled="disabled"
            placeholder="default"
            @change="keep()"
          />
        </form>
        <ChoiceList
          as="part"
          label="The default stands"
          :model-value="lane.updates ? 'all' : 'new'"
          :options="RECORDS"
          :disabled="disabled || asking"
          @chosen="emit('change', { ...lane, updates: $event === 'all' })" /></template
      >. A filled one is written to
      <ChoiceList
        as="part"
        label="Written to"
        :model-value="lane.only_empty ? 'empty' : 'always'"
        :options="WRITES"
        :disabled="disabled"
        @chosen="emit('change', { ...lane, only_empty: $event === 'empty' })"
      />.
    </p>
    <p class="mt-1 text-small">
      <RouterLink class="text-marine underline" to="/marks">A cell can say more</RouterLink>
      <span class="soft">, such as <span class="mono">[clear]</span></span>
    </p>
    <p v-if="column.filled_before" class="mt-1" data-testid="filled-before">
      {{ many(column.filled_before, "cell is", "cells are") }} left:
      {{ once ? "it is set only when a record is made" : "the application's field is filled already" }}.
    </p>
    <button
      v-if="others"
      type="button"
      class="btn sm mt-2"
      :disabled="disabled"
      @click="emit('all', !!lane.only_empty)"
    >
      {{ lane.only_empty ? "Only empty fields" : "Every field" }}, in
      {{ many(others, "other column", "other columns") }}
      too
    </button>
  </section>
</template>
