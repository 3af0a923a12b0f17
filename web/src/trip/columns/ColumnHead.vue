<script setup lang="ts">
/** Above a column: the field that its values go into, how they go there, and what is in it. */
import { ref, watch } from "vue";

import type { Column } from "@/api/client";
import { count, many } from "@/parts/format";

import FieldChoice from "./FieldChoice.vue";
import { type FieldOption, way } from "./fields";

const props = defineProps<{
  column: Column;
  options: FieldOption[];
  label: string;
  /** Its values find each row's record. */
  finds: boolean;
  /** Rows of the sheet. */
  rows: number;
  disabled: boolean;
  /** The list of fields is called for. */
  called: boolean;
}>();
const emit = defineEmits<{ chosen: [field: string]; meant: []; came: [] }>();
const NOWHERE: FieldOption = {
  value: "",
  label: "Leave it out",
  kind: "not carried",
  note: "",
  example: "",
  disabled: false,
};
const asks = (): boolean => props.column.open || props.column.conflict || props.column.how === "lost";
const tone = (): "carried" | "read" | "open" =>
  asks() ? "open" : props.column.carried || props.column.check || props.finds ? "carried" : "read";
const choice = ref<{ focus: () => boolean }>();
/** A list that cannot be had yet, while rows are planned, comes as soon as it can. */
function come(): void {
  if (!props.called || props.disabled || !choice.value) return;
  if (choice.value.focus()) emit("came");
  else requestAnimationFrame(come);
}
watch([() => props.called && !props.disabled, choice], come, { flush: "post", immediate: true });
</script>

<template>
  <FieldChoice
    ref="choice"
    :model-value="column.field ?? ''"
    :options="[NOWHERE, ...options]"
    :tone="tone()"
    :label="label"
    :empty="column.open ? 'Choose a field' : 'Not carried'"
    :disabled="disabled || column.extra"
    @chosen="emit('chosen', $event)"
    @focusin="emit('meant')"
  />
  <span
    class="block truncate text-center text-fine"
    :class="asks() ? 'font-bold text-held' : column.carried ? 'text-marine' : 'soft'"
    :title="column.lane?.says"
    >{{ way(column, finds) }}</span
  >
  <span class="mono block truncate text-small">{{ column.how === "fixed" ? "every row" : column.header }}</span>
  <small>{{ count(column.filled) }} of {{ count(rows) }} filled</small>
  <small>{{ many(column.different, "value", "values") }}</small>
</template>
