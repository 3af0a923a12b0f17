<script setup lang="ts">
/** One treatment as a phrase of the lane's sentence, its parts changed in place. */
import { computed } from "vue";

import type { Schemas } from "@/api/client";
import { many } from "@/parts/format";
import ChoiceList from "@/ui/ChoiceList.vue";

import { argumentOf, type OfferedTreatment, pieces, type Treatment } from "./lanes";
import PairList from "./PairList.vue";
import PartText from "./PartText.vue";
import PartTexts from "./PartTexts.vue";

const props = defineProps<{
  kind: OfferedTreatment;
  step: Schemas["TriedStep"] | undefined;
  values: readonly Schemas["TriedValue"][];
  headers: readonly string[];
  tables: readonly Schemas["Table"][];
  targets: readonly { value: string; label: string }[];
  first: boolean;
  disabled?: boolean;
}>();
const done = defineModel<Treatment>({ required: true });
const emit = defineEmits<{ leave: []; earlier: []; sheet: [file: File] }>();
const parts = computed(() => pieces(props.kind));
const set = (name: string, value: unknown): void => {
  const further = name === "table" ? { by: "", take: "" } : {};
  done.value = { ...done.value, [name]: value, ...further };
};
const text = (name: string): string => {
  const value = argumentOf(done.value, name);
  return typeof value === "string" || typeof value === "number" ? String(value) : "";
};
const list = (name: string): string[] => {
  const value = argumentOf(done.value, name);
  return Array.isArray(value) ? value.map(String) : [];
};
const pairs = computed(() =>
  "pairs" in done.value ? done.value.pairs.map(([from = "", to = ""]): [string, string] => [from, to]) : [],
);
const table = computed(() => props.tables.find((one) => one.table === text("table")));
const names = computed(() => Object.entries(table.value?.names ?? {}).map(([value, label]) => ({ value, label })));
const own = computed(() =>
  props.values
    .filter((one) => one.before)
    .map((one) => ({ value: one.before, label: one.before, note: `${one.count}×` })),
);
function bring(event: Event): void {
  const file = event.target instanceof HTMLInputElement ? event.target.files?.[0] : undefined;
  if (file) emit("sheet", file);
}
</script>

<template>
  <span data-testid="treatment" class="group" role="group" :aria-label="kind.title"
    ><template v-for="(piece, at) in parts" :key="at"
      ><template v-if="piece.text">{{ piece.text }}</template
      ><template v-else-if="piece.argument"
        ><ChoiceList
          v-if="piece.argument.kind === 'one-of'"
          as="part"
          :label="piece.argument.title"
          :model-value="text(piece.argument.name)"
          :options="Object.entries(piece.argument.options).map(([value, label]) => ({ value, label }))"
          :disabled="disabled"
          @chosen="set(piece.argument.name, $event)" /><PartTexts
          v-else-if="piece.argument.kind === 'texts'"
          :label="piece.argument.title"
          free
          :model-value="list(piece.argument.name)"
          :options="own"
          :disabled="disabled"
          @update:model-value="set(piece.argument.name, $event)" /><PartTexts
          v-else-if="piece.argument.kind === 'columns'"
          :label="piece.argument.title"
          :model-value="list(piece.argument.name)"
          :options="headers.map((header) => ({ value: header, label: header }))"
          :disabled="disabled"
          @update:model-value="set(piece.argument.name, $event)" /><PairList
          v-else-if="piece.argument.kind === 'pairs'"
          :model-value="pairs"
          :values="values"
          :targets="targets"
          :disabled="disabled"
          @update:model-value="set('pairs', $event)" /><template v-else-if="piece.argument.kind === 'table'"
          ><ChoiceList
            as="part"
            label="Where to look"
            empty="which?"
            :model-value="text('table')"
            :options="tables.map((one) => ({ value: one.table, label: one.title }))"
            :disabled="disabled"
            @chosen="set('table', $event)" />
          <label class="part-add cursor-pointer focus-within:outline-2"
            >+ sheet<input
              type="file"
              class="sr-only"
              aria-label="Bring a sheet to look up in"
              accept=".xlsx,.xls,.ods,.csv,.tsv,.txt"
              @change="bring" /></label></template
        ><ChoiceList
          v-else-if="piece.argument.kind === 'name'"
          as="part"
          :label="piece.argument.title"
          empty="which?"
          :model-value="text(piece.argument.name)"
          :options="names"
          :disabled="disabled || !table"
          @chosen="set(piece.argument.name, $event)" /><PartText
          v-else
          :label="piece.argument.title"
          :number="piece.argument.kind !== 'text'"
          :model-value="text(piece.argument.name)"
          :disabled="disabled"
          :empty="piece.argument.name === 'put' ? 'nothing' : undefined"
          @update:model-value="set(piece.argument.name, $event)" /></template></template
    >{{ step ? " " : ""
    }}<small v-if="step" class="soft">
      {{ many(step.touched, "row", "rows")
      }}<template v-if="step.bad"
        >, <b class="text-reject">{{ many(step.bad, "cannot be read", "cannot be read") }}</b></template
      ></small
    ><span v-if="!disabled" class="whitespace-nowrap opacity-55 group-focus-within:opacity-100 group-hover:opacity-100"
      ><button
        v-if="!first"
        type="button"
        class="part-remove !inline-grid"
        :aria-label="`Do it earlier: ${kind.title}`"
        title="Do it earlier"
        @click="emit('earlier')"
      >
        ‹</button
      ><button
        type="button"
        class="part-remove !inline-grid"
        :aria-label="`Leave out: ${kind.title}`"
        title="Leave it out"
        @click="emit('leave')"
      >
        ×
      </button></span
    ></span
  >
</template>
