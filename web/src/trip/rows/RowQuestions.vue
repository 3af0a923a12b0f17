<script setup lang="ts">
/** What a row asks, and the answers there are to it: for its cells, for its record, and for all rows asked the same. */
import { computed, ref, watch } from "vue";

import type { Cell, Column, Row } from "@/api/client";
import { count, many } from "@/parts/format";

import { useTripContext } from "../context";
import FixCell from "../edit/FixCell.vue";
import { type Answer, useDeciding } from "./deciding";

const props = defineProps<{ row: Row; cells: { column: Column; cell: Cell | undefined }[] }>();
const { trip, mayPrepare } = useTripContext();
const { decide, open } = useDeciding();
const record = ref("");
watch(
  () => props.row.row_id,
  () => (record.value = ""),
);

/** Answers by what is asked, besides setting the row aside. */
const ANSWERS: Record<string, { answer: Answer; says: string }[]> = {
  renamed: [{ answer: "then", says: "It is the record it was" }],
  swapped: [
    { answer: "then", says: "It is the record it was" },
    { answer: "now", says: "It is the one with the key now" },
  ],
  "may-be-in": [{ answer: "new", says: "It is not in: create it" }],
  "deleted-before": [{ answer: "new", says: "Make it anew" }],
  "changed-since": [{ answer: "file", says: "Delete it all the same" }],
};
const conflicts = computed(() => props.cells.filter(({ cell }) => cell?.do === "held"));
const unreadable = computed(() => props.cells.filter(({ cell }) => cell?.do === "bad"));
const asks = computed(() => ["held", "rejected"].includes(props.row.state ?? "") && mayPrepare.value);
const first = computed(() => props.row.faults?.[0]);
const answers = computed(() => (asks.value ? (ANSWERS[first.value?.code ?? ""] ?? []) : []));
const unclear = computed(() => asks.value && first.value?.code === "unclear");
const group = computed(() =>
  trip.value.reasons.find((r) => r.code === first.value?.code && r.field_name === first.value.field_name),
);

const row = (answer: Answer, field = "", argument = ""): void => {
  decide({ rows: [props.row.row_id], answer, field, argument });
};
const all = (answer: Answer): void => {
  decide({
    answer,
    code: first.value?.code ?? "",
    field: first.value?.field_name ?? "",
    count: group.value?.count ?? 0,
  });
};
</script>

<template>
  <section v-for="{ column: c, cell } in conflicts" :key="c.column" class="card">
    <b>{{ c.field_label }}</b>
    <div class="three">
      <div><small>sent out</small>{{ cell?.kept ?? "empty" }}</div>
      <div class="border-2 !border-marine bg-marine-tint"><small>your file</small>{{ cell?.new ?? "empty" }}</div>
      <div><small>application now</small>{{ cell?.old ?? "empty" }}</div>
    </div>
    <div v-if="row && asks" class="mt-2 flex flex-wrap gap-1.5">
      <button type="button" class="btn sm go" :disabled="!open" @click="row('file', c.field_name ?? '')">
        Use the file <kbd>1</kbd>
      </button>
      <button type="button" class="btn sm" :disabled="!open" @click="row('application', c.field_name ?? '')">
        Keep application <kbd>2</kbd>
      </button>
    </div>
  </section>
  <section v-for="{ column: c, cell } in unreadable" :key="c.column" class="card">
    <b>{{ c.field_label }}</b>
    <p v-if="!mayPrepare">
      In the cell: <span class="mono font-bold !text-reject">{{ cell?.text }}</span>
    </p>
    <p>
      In the application: <span class="mono">{{ cell?.old ?? "empty" }}</span>
    </p>
    <FixCell v-if="mayPrepare" class="mt-1" :row-id="props.row.row_id" :column="c" :cell="cell" />
    <button
      v-if="mayPrepare"
      type="button"
      class="btn sm mt-2"
      :disabled="!open"
      @click="row('leave out', c.field_name ?? '')"
    >
      Leave this cell out, carry the rest
    </button>
  </section>
  <section v-if="answers.length" class="card flex flex-wrap gap-1.5">
    <button
      v-for="one in answers"
      :key="one.answer"
      type="button"
      class="btn sm"
      :disabled="!open"
      @click="row(one.answer)"
    >
      {{ one.says }}
    </button>
  </section>
  <form v-if="unclear" class="card grid gap-1.5" @submit.prevent="row('record', '', record)">
    <label
      ><span class="field-label">It is in: its record ID</span> <input v-model="record" class="input" name="record"
    /></label>
    <div class="flex flex-wrap gap-1.5">
      <button type="submit" class="btn sm go" :disabled="!open || !record.trim()">It is this record</button>
      <button type="button" class="btn sm" :disabled="!open" @click="row('new')">
        {{ props.row.identifier ? "Compare it anew" : "It is not there" }}
      </button>
    </div>
  </form>
  <section v-if="asks && group && group.count > 1" class="card">
    <b>The same for {{ many(group.count, "row", "rows") }}</b>
    <div class="mt-1.5 flex flex-wrap gap-1.5">
      <template v-if="conflicts.length">
        <button type="button" class="btn sm" :disabled="!open" @click="all('file')">
          Use the file in all {{ count(group.count) }}
        </button>
        <button type="button" class="btn sm" :disabled="!open" @click="all('application')">
          Keep application in all
        </button>
      </template>
      <button
        v-for="one in answers"
        :key="one.answer"
        type="button"
        class="btn sm"
        :disabled="!open"
        @click="all(one.answer)"
      >
        {{ one.says }}, all {{ count(group.count) }}
      </button>
      <button type="button" class="btn sm" :disabled="!open" @click="all('aside')">
        Set all {{ count(group.count) }} aside
      </button>
    </div>
  </section>
</template>
