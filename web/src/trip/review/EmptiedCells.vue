<script setup lang="ts">
/** Cells of a column that were filled when they went out and are blank now: they are left, unless someone clears them. */
import type { Column } from "@/api/client";
import { count, many } from "@/parts/format";
import AnswerButtons from "@/ui/AnswerButtons.vue";

import { useTripContext } from "../context";
import { type Answer, useDeciding } from "../rows/deciding";

const props = defineProps<{
  column: Column;
  /** The row whose cell is shown: what went out in it, and the answers for it alone. */
  row?: { id: number; sent: string | null; answers: readonly Answer[] };
}>();
const { mayPrepare } = useTripContext();
const { decide, open } = useDeciding();

const all = ({ answer }: Answer): void => {
  decide({ answer, code: "emptied", field: props.column.field ?? "", count: props.column.emptied });
};
const one = ({ answer }: Answer): void => {
  if (props.row) decide({ answer, rows: [props.row.id], code: "emptied", field: props.column.field ?? "" });
};
</script>

<template>
  <section class="card" data-testid="emptied">
    <b>{{ column.label }}: emptied in the sheet</b>
    <p v-if="row">It went out as <span class="mono">{{ row.sent }}</span>. The record is left as it is.</p>
    <p v-else>
      {{ many(column.emptied, "cell was", "cells were") }} filled when the sheet went out.
      {{ column.emptied === 1 ? "Its record is" : "Their records are" }} left as they are.
    </p>
    <div v-if="mayPrepare" class="mt-2 flex flex-wrap gap-1.5">
      <AnswerButtons :answers="row?.answers ?? []" :disabled="!open" @chosen="one" />
      <AnswerButtons
        v-if="!row || column.emptied > 1"
        :answers="column.emptied_answers"
        :disabled="!open"
        :more="column.emptied > 1 ? `, all ${count(column.emptied)}` : ''"
        @chosen="all"
      />
    </div>
  </section>
</template>
