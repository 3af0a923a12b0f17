<script setup lang="ts">
/** What a row asks, and the answers there are to it: for its cells, for its record, and for all rows asked the same. */
import { computed, ref, watch } from "vue";

import type { Cell, Column, Row, Schemas } from "@/api/client";
import { count, many } from "@/parts/format";

import AnswerButtons from "@/ui/AnswerButtons.vue";

import { useTripContext } from "../context";
import FixCell from "../edit/FixCell.vue";
import { type Answer, useDeciding } from "./deciding";

type Fault = Schemas["Fault"];
const props = defineProps<{ row: Row; cells: { column: Column; cell: Cell | undefined }[]; ready?: boolean }>();
const { trip, mayPrepare } = useTripContext();
const { decide, open: taken } = useDeciding();
const open = computed(() => taken.value && props.ready);
const record = ref("");
watch(
  () => props.row.row_id,
  () => (record.value = ""),
);

const asks = computed(() => ["held", "rejected"].includes(props.row.state ?? "") && mayPrepare.value);
const faultOf = (field: string | null): Fault | undefined =>
  props.row.faults.find((fault) => fault.field === field && fault.answers.length);
const shown = computed(() =>
  props.cells
    .filter(({ cell }) => cell?.action === "held" || cell?.action === "unreadable")
    .map(({ column, cell }) => ({ column, cell, fault: faultOf(column.field) })),
);
const conflicts = computed(() => shown.value.filter(({ cell }) => cell?.action === "held"));
const unreadable = computed(() => shown.value.filter(({ cell }) => cell?.action === "unreadable"));
/** Faults with answers of their own: of the row as a whole, or of a cell to which nothing happens. */
const others = computed(() =>
  props.row.faults.filter(
    (fault) => fault.code !== "emptied" && fault.answers.length && !shown.value.some((entry) => entry.fault === fault),
  ),
);
const first = computed(() => props.row.faults[0]);
const group = computed(() =>
  trip.value.reasons.find((r) => r.code === first.value?.code && r.field === first.value.field),
);

const typed = (answer: Answer): boolean => answer.needs_record || answer.needs_value;
const answerRow = ({ answer, argument, ...needs }: Answer, field = ""): void => {
  const said = needs.needs_record || needs.needs_value ? record.value.trim() : argument;
  decide({ rows: [props.row.row_id], answer, field, argument: said });
};
const answerWithRecord = (fault: Fault): void => {
  const answer = fault.answers.find(typed);
  if (answer) answerRow(answer, fault.field);
};
const answerAll = ({ answer }: Answer): void => {
  if (group.value) decide({ answer, code: group.value.code, field: group.value.field, count: group.value.count });
};
</script>

<template>
  <section v-for="({ column: c, cell, fault }, place) in conflicts" :key="c.column" class="card">
    <b>{{ c.label }}</b>
    <div class="three">
      <div><small>{{ cell?.seen_later ? "last seen there" : "sent out" }}</small>{{ cell?.sent ?? "empty" }}</div>
      <div class="border-2 !border-marine bg-marine-tint"><small>your file</small>{{ cell?.proposed ?? "empty" }}</div>
      <div><small>application now</small>{{ cell?.current ?? "empty" }}</div>
    </div>
    <div v-if="asks && fault" class="mt-2 flex flex-wrap gap-1.5">
      <AnswerButtons
        :answers="fault.answers"
        suggests
        :keys="place ? 0 : 9"
        :disabled="!open"
        @chosen="answerRow($event, c.field ?? '')"
      />
    </div>
  </section>
  <section v-for="{ column: c, cell, fault } in unreadable" :key="c.column" class="card">
    <b>{{ c.label }}</b>
    <p v-if="!mayPrepare">In the cell: <span class="mono font-bold !text-reject">{{ cell?.text }}</span></p>
    <p>In the application: <span class="mono">{{ cell?.current ?? "empty" }}</span></p>
    <FixCell v-if="mayPrepare" class="mt-1" :row-id="props.row.row_id" :column="c" :cell="cell" />
    <template v-if="mayPrepare">
      <div class="mt-2 flex flex-wrap gap-1.5">
        <AnswerButtons :answers="fault?.answers ?? []" :disabled="!open" @chosen="answerRow($event, c.field ?? '')" />
      </div>
    </template>
  </section>
  <template v-if="asks">
    <form
      v-for="(fault, place) in others"
      :key="fault.code + fault.field"
      class="card grid gap-1.5"
      @submit.prevent="answerWithRecord(fault)"
    >
      <div class="flex flex-wrap gap-1.5">
        <AnswerButtons
          :answers="fault.answers.filter((one) => !typed(one))"
          suggests
          :keys="place || conflicts.length ? 0 : 3"
          :disabled="!open"
          @chosen="answerRow($event, fault.field)"
        />
      </div>
      <template v-for="answer in fault.answers.filter(typed)" :key="answer.answer">
        <label
          ><span class="field-label">{{
            answer.needs_value ? "A value that is free" : "It is in: its record ID"
          }}</span>
          <input v-model="record" class="input" name="record"
        /></label>
        <button type="submit" class="btn sm justify-self-start" :disabled="!open || !record.trim()">
          {{ answer.says }}
        </button>
      </template>
    </form>
  </template>
  <section v-if="asks && group && group.count > 1" class="card">
    <b>The same for {{ many(group.count, "row", "rows") }}</b>
    <div class="mt-1.5 flex flex-wrap gap-1.5">
      <AnswerButtons
        :answers="group.answers"
        :disabled="!open"
        :more="`, all ${count(group.count)}`"
        @chosen="answerAll"
      />
    </div>
  </section>
</template>
