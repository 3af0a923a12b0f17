<script setup lang="ts">
/** The record type, searchable. */
import { Combobox, ComboboxButton, ComboboxInput, ComboboxOption, ComboboxOptions } from "@headlessui/vue";
import { computed, ref } from "vue";

import type { RecordType } from "@/api/client";

const props = defineProps<{ types: RecordType[] }>();
const chosen = defineModel<string>({ required: true });
const text = ref("");
const found = computed(() =>
  props.types.filter((t) => `${t.label} ${t.plural}`.toLowerCase().includes(text.value.toLowerCase())),
);
const label = (name: unknown): string => props.types.find((t) => t.name === name)?.label ?? "";
</script>

<template>
  <Combobox v-model="chosen" as="div" class="relative inline-flex items-center border-b-2 border-marine">
    <ComboboxInput
      class="w-44 bg-transparent px-1 py-0.5 font-bold text-marine"
      aria-label="Record type"
      :display-value="label"
      @change="text = $event.target.value"
      @blur="text = ''"
    />
    <ComboboxButton class="grid h-7 w-7 place-items-center text-marine" aria-label="All record types">▾</ComboboxButton>
    <ComboboxOptions
      class="absolute top-full left-0 z-40 mt-1 max-h-80 w-64 overflow-auto rounded-lg border border-rule bg-panel p-1 text-body shadow-xl focus:outline-none"
    >
      <ComboboxOption
        v-for="one in found"
        :key="one.name"
        v-slot="{ active, selected }"
        :value="one.name"
        as="template"
      >
        <li class="cursor-pointer rounded px-3 py-1.5" :class="{ 'bg-marine-tint': active, 'font-bold': selected }">
          {{ one.label }}
        </li>
      </ComboboxOption>
      <li v-if="!found.length" class="soft px-3 py-1.5">No type is called that.</li>
    </ComboboxOptions>
  </Combobox>
</template>
