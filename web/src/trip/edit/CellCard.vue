<script setup lang="ts">
/** The cell that is meant: what stands there and in the file, and what can be done with it and those below. */
import { computed, ref } from "vue";

import type { Column, Row, Schemas } from "@/api/client";
import { count, many } from "@/parts/format";

import { useTripContext } from "../context";
import { useEditing } from "./editing";

const props = defineProps<{
  row: Row | undefined;
  column: Column | undefined;
  /** How many rows stand below it, as they are shown. */
  below: number;
  shown?: Schemas["Shown"];
}>();
defineEmits<{ edit: [] }>();
const { trip, mayPrepare } = useTripContext();
const { edit, only, open } = useEditing();
const at = computed(() => trip.value.columns.findIndex((c) => c.column === props.column?.column));
const cell = computed(() => props.row?.cells[at.value]);
const wanted = ref("");
const rows = computed(() => Math.min(props.below, Number(wanted.value) || props.below));

function fill(): void {
  if (!props.row || !props.column) return;
  const { row_id } = props.row;
  edit(
    { kind: "fill", row_id, column: props.column.column, rows: rows.value, shown: props.shown },
    `Filled into ${many(rows.value, "row", "rows")}. Undo it among the edits.`,
  );
}
const setBack = (): void => {
  if (props.row && props.column)
    edit({ kind: "cell", row_id: props.row.row_id, column: props.column.column, text: cell.value?.file_text ?? "" });
};
const leaveOut = (): void => {
  if (!props.row) return;
  const ids = [props.row.row_id];
  only(props.row.left_out ? { take_in: ids } : { leave_out: ids });
};
</script>

<template>
  <section v-if="row && column && mayPrepare" class="card" data-testid="cell">
    <b>Row {{ count(row.row) }}, {{ column.header || column.column }}</b>
    <p class="mono break-words">{{ cell?.text ?? "blank" }}</p>
    <p v-if="cell?.edited" class="soft text-small">
      In the file: <span class="mono">{{ cell.file_text ?? "blank" }}</span>
    </p>
    <div class="mt-1.5 flex flex-wrap items-center gap-1.5">
      <button type="button" class="btn sm" :disabled="!open" @click="$emit('edit')">Edit <kbd>Enter</kbd></button>
      <button v-if="cell?.edited" type="button" class="btn sm" :disabled="!open" @click="setBack()">
        As in the file
      </button>
      <button v-if="!row.state" type="button" class="btn sm" :disabled="!open" @click="leaveOut()">
        {{ row.left_out ? "Take this row in" : "Leave this row out" }} <kbd>X</kbd>
      </button>
    </div>
    <form v-if="below" class="mt-1.5 flex flex-wrap items-center gap-1.5 text-small" @submit.prevent="fill()">
      <button type="submit" class="btn sm" :disabled="!open">Fill down</button>
      into
      <input
        v-model="wanted"
        class="input !min-h-6 !w-20 !py-0"
        inputmode="numeric"
        name="rows-below"
        :placeholder="count(below)"
        aria-label="How many rows below"
      />
      {{ rows === 1 ? "row" : "rows" }} below
    </form>
  </section>
</template>
