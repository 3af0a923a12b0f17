<script setup lang="ts">
/** A clause, or a group of clauses, as a part of the sentence. */
import { computed } from "vue";

import ChoiceList from "@/ui/ChoiceList.vue";
import SearchPart from "@/ui/SearchPart.vue";

import { type Clause, type Group, isClause, isGroup, type Part, SAYS, takesMany, takesNone, usual } from "./conditions";
import type { Offered } from "./fields";
import ValuePart from "./ValuePart.vue";

const props = defineProps<{
  part: Part;
  fields: readonly Offered[];
  application: string;
  recordType: string;
  /** The outermost group has no parentheses, and cannot be left out. */
  outer?: boolean;
}>();
const emit = defineEmits<{ change: [part: Part]; remove: [] }>();
const group = computed(() => (isGroup(props.part) ? props.part : undefined));
const clause = computed(() => (isClause(props.part) ? props.part : undefined));
const offered = computed(() => props.fields.find((one) => one.name === clause.value?.field));
const options = computed(() => props.fields.map((one) => ({ value: one.name, label: one.label })));
const does = computed(() =>
  (offered.value?.field.comparisons ?? ["is"])
    .filter((one) => !offered.value?.far || !one.startsWith("below"))
    .map((one) => ({ value: one, label: SAYS[one] ?? one })),
);
const joint = computed(() => (group.value?.is === "all" ? "and" : "or"));

const change = (now: Partial<Clause>): void => {
  if (clause.value) emit("change", { ...clause.value, ...now });
};
function field(name: string): void {
  const found = props.fields.find((one) => one.name === name)?.field;
  change({ field: name, does: usual(found), values: [] });
}
function compare(now: string): void {
  const values = takesNone(now)
    ? []
    : takesMany(now)
      ? (clause.value?.values ?? [])
      : (clause.value?.values.slice(0, 2) ?? []);
  change({ does: now, values });
}
function set(at: number, now: Part | null): void {
  if (!group.value) return;
  const parts = [...group.value.parts];
  if (now) parts[at] = now;
  else parts.splice(at, 1);
  if (!parts.length && !props.outer) emit("remove");
  else emit("change", { ...group.value, parts });
}
function turn(): void {
  if (group.value) emit("change", { ...group.value, is: group.value.is === "all" ? "any" : "all" } satisfies Group);
}
const fresh = (): Clause => ({ field: "", does: "is", values: [] });
function add(inner = false): void {
  if (!group.value) return;
  const own: Part = inner ? { is: group.value.is === "all" ? "any" : "all", parts: [fresh(), fresh()] } : fresh();
  emit("change", { ...group.value, parts: [...group.value.parts, own] });
}
</script>

<template>
  <template v-if="group">
    <span v-if="group.is === 'none'">not </span><span v-if="!outer" class="soft">(</span>
    <template v-for="(own, at) in group.parts" :key="at">
      <button
        v-if="at"
        type="button"
        class="part-joint"
        :title="`Make it ${joint === 'and' ? 'or' : 'and'}`"
        :aria-label="`${joint}; make it ${joint === 'and' ? 'or' : 'and'}`"
        @click="turn"
      >
        {{ joint }}
      </button>
      <ClausePart
        :part="own"
        :fields="fields"
        :application="application"
        :record-type="recordType"
        @change="set(at, $event)"
        @remove="set(at, null)"
      />
    </template>
    <span v-if="!outer" class="soft">)</span>
    <button type="button" class="part-add" :title="`Add with ${joint}`" @click="add()">
      + {{ group.parts.length ? joint : "condition" }}
    </button>
    <button
      v-if="outer && group.parts.length"
      type="button"
      class="part-add"
      :title="`Add a group with ${joint}`"
      @click="add(true)"
    >
      + {{ joint }} (…)
    </button>
  </template>
  <span v-else-if="clause" class="inline-flex flex-wrap items-baseline gap-x-1.5" data-testid="clause">
    <SearchPart
      :model-value="clause.field"
      label="Field of the condition"
      empty="which field?"
      bold
      :options="options"
      @chosen="field"
    />
    <ChoiceList
      v-if="clause.field"
      as="part"
      class="plain-part"
      :model-value="clause.does"
      label="Comparison"
      :options="does"
      @chosen="compare"
    />
    <ValuePart
      v-if="clause.field"
      :clause="clause"
      :offered="offered"
      :application="application"
      :record-type="recordType"
      @values="change({ values: $event })"
    />
    <button
      type="button"
      class="part-remove"
      :aria-label="`Leave out the condition on ${offered?.label ?? 'nothing yet'}`"
      @click="emit('remove')"
    >
      −
    </button>
  </span>
  <span v-else-if="'text' in part" class="mono inline-flex items-baseline gap-1 text-small" data-testid="clause"
    >{{ part.text
    }}<button type="button" class="part-remove" aria-label="Leave out this condition" @click="emit('remove')">
      −
    </button></span
  >
</template>
