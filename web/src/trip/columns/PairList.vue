<script setup lang="ts">
/** A value list: this becomes that, learnt from the column's own values. */
import { computed } from "vue";

import type { Schemas } from "@/api/client";
import { count, many } from "@/parts/format";

import PartText from "./PartText.vue";
import SearchPart from "@/ui/SearchPart.vue";

const props = defineProps<{
  values: readonly Schemas["TriedValue"][];
  /** What may stand in the field, where that is a choice. */
  targets: readonly { value: string; label: string }[];
  disabled?: boolean;
}>();
const pairs = defineModel<[string, string][]>({ required: true });
const shown = computed(() => {
  const known = new Set(pairs.value.map(([from]) => from));
  const counts = new Map(props.values.map((one) => [one.before, one.count]));
  const listed = pairs.value.map(([from, to]) => ({ from, to, count: counts.get(from) ?? 0, listed: true }));
  const free = props.values.filter((one) => one.before && !known.has(one.before));
  free.sort((a, b) => Number(b.bad) - Number(a.bad) || b.count - a.count);
  return [
    ...listed,
    ...free.slice(0, 60).map((one) => ({ from: one.before, to: "", count: one.count, listed: false })),
  ];
});
function set(from: string, to: string): void {
  const rest = pairs.value.filter(([one]) => one !== from);
  pairs.value = to.trim() ? [...rest, [from, to]] : rest;
}
</script>

<template>
  <span class="my-1 block rounded border border-rule bg-panel" data-testid="pairs">
    <span class="block max-h-52 overflow-y-auto" tabindex="0" role="group" aria-label="This becomes that">
      <span
        v-for="one in shown"
        :key="one.from"
        class="flex min-h-7 items-center gap-2 border-b border-rule px-2 text-data leading-tight last:border-0"
      >
        <span class="mono min-w-0 flex-1 truncate" :title="one.from">{{ one.from }}</span>
        <span class="soft">→</span>
        <span class="flex-1">
          <SearchPart
            v-if="targets.length"
            :model-value="one.to"
            free
            bold
            :label="`${one.from} becomes`"
            empty="as it is"
            :options="targets"
            @chosen="set(one.from, $event)"
          />
          <PartText
            v-else
            :model-value="one.to"
            :label="`${one.from} becomes`"
            empty="as it is"
            :disabled="disabled"
            @update:model-value="set(one.from, $event)"
          />
        </span>
        <span class="soft w-9 text-right text-fine" :title="many(one.count, 'row', 'rows')"
          >{{ count(one.count) }}×</span
        >
        <button
          v-if="one.listed"
          type="button"
          class="part-remove"
          :aria-label="`Leave ${one.from} as it is`"
          @click="set(one.from, '')"
        >
          ×
        </button>
        <span v-else class="w-6" />
      </span>
    </span>
  </span>
</template>
