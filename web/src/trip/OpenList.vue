<script setup lang="ts">
/** What is open: questions before whose answers nothing is sent, then what waits and stays behind. */
import { computed, ref } from "vue";

import { api, data, type TripDetail } from "@/api/client";
import { jobDone } from "@/api/queries";
import { count, many } from "@/parts/format";

import AnswerButtons from "@/ui/AnswerButtons.vue";
import { useDoing } from "@/ui/doing";

import { useTripContext } from "./context";
import { type Scope, useDeciding } from "./rows/deciding";

type Item = TripDetail["open"][number];
/** The rows behind an item: their state, and what they are asked. */
const emit = defineEmits<{ choose: [state: string, code: string] }>();
const { trip, mayPrepare, refresh } = useTripContext();
/** Answers about the whole plan are decisions like any other. */
const { decide, open } = useDeciding();
const FEW = 4;
const all = ref(false);
const stops = computed(() => trip.value.open.filter((item) => item.stops));
const shown = computed(() => (all.value ? stops.value : stops.value.slice(0, FEW)));
const waits = computed(() => trip.value.open.filter((item) => !item.stops));
const waiting = computed(() => (all.value ? waits.value : waits.value.slice(0, FEW)));
const more = computed(() => Math.max(stops.value.length - FEW, 0) + Math.max(waits.value.length - FEW, 0));
const stationOf = (item: Item): string => item.station.charAt(0).toUpperCase() + item.station.slice(1);
const to = (item: Item) => ({ name: "trip", params: { id: trip.value.id, station: item.station } });
const answered = (item: Item, answer: Item["answers"][number]["answer"]): Scope => ({
  answer,
  code: item.code,
  field: item.field,
  count: item.count,
  records: true,
});
/** Answers that change a column, where they belong to rows that wait. */
const { start: answer, busy } = useDoing(
  async ({ columns, lanes }: Item["options"][number]) => {
    const params = { path: { id: trip.value.id }, header: { "If-Match": `"${trip.value.version}"` } };
    const job = await data(api.PATCH("/api/trips/{id}/columns", { params, body: { columns, lanes, operation: "" } }));
    await refresh();
    return jobDone(job.id);
  },
  { after: refresh },
);
</script>

<template>
  <section
    v-if="trip.open.length || trip.said.length"
    class="flex flex-col gap-1 border-b border-rule bg-panel px-3 py-1.5 text-small"
    aria-label="What is open"
    data-testid="open"
  >
    <p v-if="stops.length" class="font-bold text-held">
      {{ many(stops.length, "question is", "questions are") }} open, and nothing is sent before
      {{ stops.length === 1 ? "it is" : "they are" }} answered:
    </p>
    <p v-for="(item, at) in shown" :key="at">
      <b class="text-held">?</b> {{ item.says }}
      <AnswerButtons
        v-if="item.answers.length && mayPrepare"
        :answers="item.answers"
        :disabled="!open"
        @chosen="decide(answered(item, $event.answer))"
      />
      <RouterLink v-else class="font-semibold text-marine underline" :to="to(item)"
        >Answer at {{ stationOf(item) }}</RouterLink
      >
    </p>
    <ul v-if="waits.length" class="flex flex-wrap gap-x-4 gap-y-0.5">
      <li v-for="(item, at) in waiting" :key="at">
        <template v-if="item.state">
          <button
            type="button"
            class="font-semibold text-marine underline"
            @click="emit('choose', item.state, item.code)"
          >
            {{ count(item.count) }} {{ item.state }}</button
          >: {{ item.says }}
          <AnswerButtons v-if="mayPrepare" :answers="item.options" :disabled="busy || !!trip.job" @chosen="answer" />
        </template>
        <template v-else>
          <RouterLink class="font-semibold text-held" :to="to(item)">{{ item.says }}</RouterLink>
          <AnswerButtons
            v-if="item.answers.length && mayPrepare"
            :answers="item.answers"
            :disabled="!open"
            @chosen="decide(answered(item, $event.answer))"
          />
        </template>
      </li>
    </ul>
    <ul v-if="trip.said.length" class="soft flex flex-wrap gap-x-4 gap-y-0.5" aria-label="What is only said">
      <li v-for="(item, at) in trip.said" :key="at">
        <button
          v-if="item.state"
          type="button"
          class="font-semibold text-marine underline"
          @click="emit('choose', item.state, item.code)"
        >
          {{ count(item.count) }} {{ item.state }}</button
        ><template v-if="item.state">: </template>{{ item.says }}
      </li>
    </ul>
    <button v-if="more && !all" type="button" class="btn sm self-start" @click="all = true">
      Show {{ count(more) }} more
    </button>
  </section>
</template>
