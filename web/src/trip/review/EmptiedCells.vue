<script setup lang="ts">
/** Cells of a column that were filled when they went out and are blank now: they are left, unless someone clears them. */
import type { Column } from "@/api/client";
import { count, many } from "@/parts/format";

import { useTripContext } from "../context";
import { type Answer, useDeciding } from "../rows/deciding";

const props = defineProps<{ column: Column; row?: { id: number; kept: string | null | undefined } }>();
const { mayPrepare } = useTripContext();
const { decide, open } = useDeciding();

const all = (answer: Answer): void => {
  decide({ answer, code: "emptied", field: props.column.field_name ?? "", count: props.column.emptied });
};
const one = (answer: Answer): void => {
  if (props.row) decide({ answer, rows: [props.row.id], code: "emptied", field: props.column.field_name ?? "" });
};
</script>

<template>
  <section class="card" data-testid="emptied">
    <b>{{ column.field_label }}: emptied in the sheet</b>
    <p v-if="row">
      It went out as <span class="mono">{{ row.kept }}</span>. The record is left as it is.
    </p>
    <p v-else>
      {{ many(column.emptied, "cell was", "cells were") }} filled when the sheet went out.
      {{ column.emptied === 1 ? "Its record is" : "Their records are" }} left as they are.
    </p>
    <div v-if="mayPrepare" class="mt-2 flex flex-wrap gap-1.5">
      <template v-if="row">
        <button type="button" class="btn sm" :disabled="!open" @click="one('clear')">Clear this field</button>
        <button type="button" class="btn sm" :disabled="!open" @click="one('leave')">Leave it</button>
      </template>
      <template v-if="!row || column.emptied > 1">
        <button type="button" class="btn sm" :disabled="!open" @click="all('clear')">
          Clear {{ column.emptied > 1 ? `all ${count(column.emptied)}` : "it" }}
        </button>
        <button type="button" class="btn sm" :disabled="!open" @click="all('leave')">
          Leave {{ column.emptied > 1 ? `all ${count(column.emptied)}` : "it" }}
        </button>
      </template>
    </div>
  </section>
</template>
