<script setup lang="ts">
/** Fields in the order of the sheet: dragged, or moved with Alt and the arrows; others are found and added, many at once. */
import { computed, nextTick, ref } from "vue";

import type { RecordType } from "@/api/client";
import { count } from "@/parts/format";

import { noteOf, type Offered } from "@/conditions/fields";

const props = defineProps<{ type: RecordType; fixed: Set<string>; fields: readonly Offered[] }>();
const chosen = defineModel<string[]>({ required: true });
const SHOWN = 60;
const dragged = ref(-1);
const over = ref(-1);
const text = ref("");
const finder = ref<HTMLInputElement>();
const byName = computed(() => new Map(props.fields.map((one) => [one.name, one])));
const label = (name: string): string => byName.value.get(name)?.label ?? name;
/** Of fields that set one value the first goes out to be edited, the others to be read. */
const reading = (name: string, at: number): boolean =>
  !!byName.value.get(name)?.field.instead_of.some((other) => chosen.value.slice(0, at).includes(other));
const note = (name: string, at: number): string =>
  reading(name, at) ? "for reading" : noteOf(byName.value.get(name), props.type, props.fixed);
const left = computed(() => props.fields.filter((one) => !chosen.value.includes(one.name)));
/** Those of records that it refers to are shown once they are looked for: there are many. */
const found = computed(() => {
  const words = text.value
    .toLowerCase()
    .split(/[\s›/]+/)
    .filter(Boolean);
  if (!words.length) return left.value.filter((one) => !one.far);
  return left.value.filter((one) => {
    const told = `${one.label} ${one.name}`.toLowerCase();
    return words.every((word) => told.includes(word));
  });
});
const shown = computed(() => found.value.slice(0, SHOWN));
function leftNote(one: Offered): string {
  const other = one.field.instead_of.find((name) => chosen.value.includes(name));
  return other && !one.far ? `instead of ${label(other)}` : noteOf(one, props.type, props.fixed);
}
const lines = ref<HTMLElement[]>();
function move(from: number, to: number): void {
  if (to < 0 || to >= chosen.value.length || from < 0) return;
  const now = [...chosen.value];
  now.splice(to, 0, ...now.splice(from, 1));
  chosen.value = now;
  void nextTick(() => lines.value?.find((one) => one.dataset.field === `${to}`)?.focus());
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
const add = (names: readonly string[]): void => {
  chosen.value = [...chosen.value, ...names.filter((name) => !chosen.value.includes(name))];
};
function addFirst(): void {
  const first = shown.value[0];
  if (first) add([first.name]);
}
function drop(at: number): void {
  move(dragged.value, at);
  dragged.value = over.value = -1;
}
defineExpose({ find: () => finder.value?.focus() });
</script>

<template>
  <h2 id="chosen" class="mb-2">Fields, in the order of the sheet</h2>
  <ol aria-labelledby="chosen" class="grid grid-cols-[minmax(0,1fr)] gap-1.5">
    <li
      v-for="(name, at) in chosen"
      :key="name"
      class="flex h-8 items-center gap-1.5 rounded-md border bg-panel pr-1 pl-2"
      :class="over === at && dragged !== at ? 'border-marine' : 'border-rule'"
      draggable="true"
      @dragstart="dragged = at"
      @dragend="dragged = over = -1"
      @dragover.prevent="over = at"
      @drop.stop.prevent="drop(at)"
    >
      <button
        ref="lines"
        type="button"
        class="flex min-h-7 min-w-0 flex-1 cursor-grab items-center gap-2 text-left"
        :data-field="at"
        :title="label(name)"
        :aria-label="`${label(name)}, place ${at + 1}, ${note(name, at)}; Alt and an arrow moves it`"
        @keydown="onKey($event, at)"
      >
        <span class="soft" aria-hidden="true">⠿</span><span class="truncate">{{ label(name) }}</span>
      </button>
      <span class="soft text-fine whitespace-nowrap" :class="{ 'pr-1.5': fixed.has(name) }">{{ note(name, at) }}</span>
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
  <h2 id="left" class="mt-4 mb-2">Left out</h2>
  <div class="mb-1.5 flex gap-1.5">
    <input
      ref="finder"
      v-model="text"
      class="input min-w-0 flex-1"
      type="search"
      aria-label="Find a field to add"
      placeholder="Find a field, such as holder e-mail"
      @keydown.enter.prevent="addFirst"
      @keydown.escape="text = ''"
    />
    <button
      v-if="text && shown.length > 1"
      type="button"
      class="btn sm"
      @click="
        add(shown.map((one) => one.name));
        text = '';
      "
    >
      Add all {{ count(shown.length) }}
    </button>
  </div>
  <ul class="grid grid-cols-[minmax(0,1fr)] gap-1.5" aria-labelledby="left">
    <li v-for="one in shown" :key="one.name">
      <button
        type="button"
        class="flex min-h-8 w-full items-center gap-2 rounded-md border border-dashed border-rule-strong px-2 text-left"
        :title="one.name"
        @click="add([one.name])"
      >
        <span class="text-marine" aria-hidden="true">+</span><span class="truncate">{{ one.label }}</span
        ><span class="soft ml-auto text-fine whitespace-nowrap">{{ leftNote(one) }}</span>
      </button>
    </li>
  </ul>
  <p v-if="found.length > shown.length" class="soft mt-1.5 text-small">
    {{ count(found.length - shown.length) }} more; say more of the name.
  </p>
  <p v-else-if="!found.length" class="soft text-small">
    {{ text ? "No field left out is called that." : "All fields go out." }}
  </p>
  <p v-if="!text && fields.some((one) => one.far)" class="soft mt-1.5 text-small">
    Fields of records that it refers to are found by name, over several levels.
  </p>
</template>
