<script setup lang="ts">
/** Fields in the order of the sheet: dragged, or moved with Alt and the arrows. */
import { computed, nextTick, ref } from "vue";

import type { Field, RecordType } from "@/api/client";
import ChoiceList from "@/ui/ChoiceList.vue";

const props = defineProps<{ type: RecordType; fixed: Set<string>; readable: { name: string; label: string }[] }>();
const chosen = defineModel<string[]>({ required: true });
const dragged = ref(-1);
const byName = computed(() => new Map(props.type.all_fields.map((f) => [f.name, f])));
const left = computed(() => props.type.all_fields.filter((f) => !chosen.value.includes(f.name)));
const lookups = computed(() => props.readable.filter((f) => !chosen.value.includes(f.name)));

function note(field: Field | undefined): string {
  if (!field) return "for reading";
  if (props.fixed.has(field.name)) return field.name === props.type.identifier ? "kept" : "key";
  if (field.read_only) return "for reading";
  if (field.required) return "required";
  return field.choices.length
    ? `${field.kind === "choices" ? "several" : "one"} of ${field.choices.length}`
    : (field.target?.toLowerCase() ?? field.kind);
}
const label = (name: string): string =>
  byName.value.get(name)?.label ?? props.readable.find((f) => f.name === name)?.label ?? name;

function move(from: number, to: number): void {
  if (to < 0 || to >= chosen.value.length || from < 0) return;
  const now = [...chosen.value];
  now.splice(to, 0, ...now.splice(from, 1));
  chosen.value = now;
  void nextTick(() => document.querySelector<HTMLElement>(`[data-field="${to}"]`)?.focus());
}
function onKey(event: KeyboardEvent, at: number): void {
  if (event.altKey && (event.key === "ArrowUp" || event.key === "ArrowDown")) {
    event.preventDefault();
    move(at, at + (event.key === "ArrowUp" ? -1 : 1));
  } else if (event.key === "Delete") remove(chosen.value[at] ?? "");
}
const remove = (name: string): void => {
  if (!props.fixed.has(name)) chosen.value = chosen.value.filter((other) => other !== name);
};
const add = (name: string): void => {
  if (name) chosen.value = [...chosen.value, name];
};
</script>

<template>
  <h2 id="chosen" class="mb-2">Fields, in the order of the sheet</h2>
  <ol aria-labelledby="chosen" class="grid gap-1.5">
    <li
      v-for="(name, at) in chosen"
      :key="name"
      class="flex h-8 items-center gap-1.5 rounded-md border border-rule bg-panel pr-1 pl-2"
      draggable="true"
      @dragstart="dragged = at"
      @dragover.prevent
      @drop.stop.prevent="move(dragged, at)"
    >
      <button
        type="button"
        class="flex min-h-7 min-w-0 flex-1 cursor-grab items-center gap-2 text-left"
        :data-field="at"
        :aria-label="`${label(name)}, place ${at + 1}; Alt and an arrow moves it`"
        @keydown="onKey($event, at)"
      >
        <span class="soft" aria-hidden="true">⠿</span><span class="truncate">{{ label(name) }}</span>
      </button>
      <span class="soft text-fine whitespace-nowrap">{{ note(byName.get(name)) }}</span>
      <button
        v-if="!fixed.has(name)"
        type="button"
        class="grid h-6 w-6 place-items-center rounded hover:bg-sunk"
        :aria-label="`Leave ${label(name)} out`"
        @click="remove(name)"
      >
        −
      </button>
    </li>
  </ol>
  <h2 class="mt-4 mb-2">Left out</h2>
  <ul class="grid gap-1.5">
    <li v-for="field in left" :key="field.name">
      <button
        type="button"
        class="flex min-h-8 w-full items-center gap-2 rounded-md border border-dashed border-rule-strong px-2 text-left"
        @click="add(field.name)"
      >
        <span class="text-marine" aria-hidden="true">+</span><span class="truncate">{{ field.label }}</span
        ><span class="soft ml-auto text-fine whitespace-nowrap">{{ note(field) }}</span>
      </button>
    </li>
  </ul>
  <div v-if="lookups.length" class="mt-3">
    <span class="field-label">From a record it refers to</span>
    <ChoiceList
      model-value=""
      empty="Add for reading…"
      label="A field of a record it refers to"
      :options="lookups.map((one) => ({ value: one.name, label: one.label }))"
      @chosen="add"
    />
  </div>
</template>
