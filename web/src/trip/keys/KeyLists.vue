<script setup lang="ts">
/** Rows whose key asks: near to another, found several times, shared, copied; decided one by one or all at once. */
import { useQuery } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";

import { api, data, type Row, type Schemas } from "@/api/client";
import { lookedAt } from "@/api/part";
import { count } from "@/parts/format";
import { useKeys } from "@/services/keys";
import AnswerButtons from "@/ui/AnswerButtons.vue";

import { useTripContext } from "../context";
import { type Answer, useDeciding } from "../rows/deciding";
import { differing } from "./differing";

type Fault = Schemas["Fault"];
const SHOWN = 50;
const { trip, mayPrepare } = useTripContext();
const { decide, undo, open } = useDeciding();
const groups = computed(() => trip.value.reasons.filter((one) => one.about_key));
const chosen = ref("");
const group = computed(() => groups.value.find((one) => one.code === chosen.value) ?? groups.value[0]);
const current = ref(0);
watch([group, () => trip.value.plan?.number], () => (current.value = 0));
const { data: window } = useQuery({
  queryKey: computed(() => [
    "trip",
    trip.value.id,
    lookedAt.value,
    "key list",
    group.value?.code,
    trip.value.plan?.number,
  ]),
  queryFn: () => {
    const query = { code: group.value?.code ?? "", limit: SHOWN };
    return data(api.GET("/api/trips/{id}/rows", { params: { path: { id: trip.value.id }, query } }));
  },
  enabled: computed(() => !!group.value && !!trip.value.plan),
});
const rows = computed(() => window.value?.rows ?? []);
const keyColumns = computed(() =>
  trip.value.columns.map((column, at) => ({ column, at })).filter(({ column }) => column.is_key),
);
const keyOf = (row: Row): string =>
  keyColumns.value
    .map(({ at }) => row.cells[at]?.text ?? "")
    .filter(Boolean)
    .join(" · ");
const faultOf = (row: Row): Fault | undefined => row.faults.find((one) => one.code === group.value?.code);
const answersOf = (row: Row): Answer[] =>
  (faultOf(row)?.answers ?? []).filter((one) => !one.needs_record && !one.needs_value);
/** What an answer says the row is, where it says that: beside the key, what differs is marked. */
const nearest = (row: Row): string => answersOf(row)[0]?.says.replace(/^It is /, "") ?? "";
const answerRow = (row: Row, { answer, argument }: Answer): void => {
  decide({ rows: [row.row_id], answer, argument, field: faultOf(row)?.field ?? "" });
};
const answerAll = ({ answer }: Answer): void => {
  if (group.value) decide({ answer, code: group.value.code, field: group.value.field, count: group.value.count });
};
const move = (by: number): void => {
  current.value = Math.min(Math.max(0, current.value + by), Math.max(0, rows.value.length - 1));
  document.getElementById(`key-row-${current.value}`)?.scrollIntoView({ block: "nearest" });
};
const byKey = (at: number): void => {
  const row = rows.value[current.value];
  const answer = row && answersOf(row)[at];
  if (row && answer) answerRow(row, answer);
};
useKeys("Rows whose key asks", [
  {
    key: "J",
    says: "next",
    run: () => {
      move(1);
    },
  },
  {
    key: "K",
    says: "previous",
    run: () => {
      move(-1);
    },
  },
  ...["1", "2", "3"].map((key, at) => ({
    key,
    says: ["first answer", "second", "third"][at] ?? "",
    run: () => {
      byKey(at);
    },
  })),
  {
    key: "U",
    says: "undo",
    run: () => {
      undo();
    },
  },
]);
</script>

<template>
  <section v-if="group" class="border-t border-rule" data-testid="key-lists">
    <div class="flex flex-wrap items-center gap-2 px-3 py-2" role="group" aria-label="What keys ask">
      <button
        v-for="one in groups"
        :key="one.code"
        type="button"
        class="chip"
        :aria-pressed="one.code === group.code"
        @click="chosen = one.code"
      >
        {{ count(one.count) }} · {{ one.says }}
      </button>
    </div>
    <div v-if="mayPrepare && group.count > 1" class="flex flex-wrap gap-1.5 px-3 pb-2">
      <AnswerButtons
        :answers="group.answers"
        :disabled="!open"
        :more="`, all ${count(group.count)}`"
        @chosen="answerAll"
      />
    </div>
    <table class="plain-table">
      <thead>
        <tr>
          <th>Row</th>
          <th>In the sheet</th>
          <th>In the application</th>
          <th>Decide</th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="(row, at) in rows"
          :id="`key-row-${at}`"
          :key="row.row_id"
          :class="{ 'bg-marine-tint': at === current }"
          :aria-current="at === current"
          @click="current = at"
        >
          <td class="mono">{{ row.row }}</td>
          <td class="mono font-semibold">
            <template v-for="(piece, place) in differing(keyOf(row), nearest(row) || keyOf(row))" :key="place"
              ><mark v-if="piece.differs" class="bg-reject-tint text-reject">{{ piece.text }}</mark
              ><template v-else>{{ piece.text }}</template></template
            >
          </td>
          <td>
            <span v-if="answersOf(row).length === 2 && group.code === 'near-key'" class="mono"
              ><template v-for="(piece, place) in differing(nearest(row), keyOf(row))" :key="place"
                ><mark v-if="piece.differs" class="bg-create-tint text-create">{{ piece.text }}</mark
                ><template v-else>{{ piece.text }}</template></template
              ></span
            >
            <span v-else class="soft">{{ faultOf(row)?.says }}</span>
          </td>
          <td>
            <div v-if="mayPrepare" class="flex flex-wrap gap-1.5">
              <AnswerButtons
                :answers="answersOf(row)"
                :keys="at === current ? 3 : 0"
                :disabled="!open"
                @chosen="answerRow(row, $event)"
              />
            </div>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="group.count > rows.length" class="soft px-3 py-2">
      The first {{ count(rows.length) }} of {{ count(group.count) }} are shown.
    </p>
  </section>
</template>
