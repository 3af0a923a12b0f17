<script setup lang="ts">
/** In which order the records come: several fields, each turned round by its sign. */
import SearchPart from "@/ui/SearchPart.vue";

import type { Offered } from "@/conditions/fields";

defineProps<{ fields: readonly Offered[]; usual: string }>();
const order = defineModel<string[]>({ required: true });
const bare = (name: string): string => name.replace(/^-/, "");
const down = (name: string): boolean => name.startsWith("-");
function set(at: number, name: string): void {
  const now = [...order.value];
  if (name) now[at] = name;
  else now.splice(at, 1);
  order.value = now.filter((one, place) => now.findIndex((other) => bare(other) === bare(one)) === place);
}
const labelOf = (fields: readonly Offered[], name: string): string =>
  fields.find((one) => one.name === bare(name))?.label ?? bare(name);
</script>

<template>
  <span class="soft">in order of</span>
  <span v-for="(name, at) in order" :key="name" class="inline-flex items-baseline gap-1" data-testid="order">
    <SearchPart
      :model-value="bare(name)"
      :label="`Order ${at + 1}`"
      bold
      :options="fields.map((one) => ({ value: one.name, label: one.label }))"
      @chosen="set(at, (down(name) ? '-' : '') + $event)"
    />
    <button
      type="button"
      class="part-joint"
      :aria-label="`${labelOf(fields, name)}: ${down(name) ? 'highest' : 'lowest'} first; turn it round`"
      @click="set(at, down(name) ? bare(name) : `-${name}`)"
    >
      {{ down(name) ? "highest first" : "lowest first" }}
    </button>
    <button
      type="button"
      class="part-remove"
      :aria-label="`Do not order by ${labelOf(fields, name)}`"
      @click="set(at, '')"
    >
      −
    </button>
  </span>
  <SearchPart
    model-value=""
    clears
    label="Order by another field"
    :empty="order.length ? '+ then' : usual || 'record ID'"
    :options="
      fields
        .filter((one) => !order.some((name) => bare(name) === one.name))
        .map((one) => ({ value: one.name, label: one.label }))
    "
    @chosen="set(order.length, $event)"
  />
</template>
