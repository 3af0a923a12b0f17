<script setup lang="ts">
import { useQueryClient } from "@tanstack/vue-query";
import { computed, defineAsyncComponent, onBeforeUnmount, provide, shallowRef, watch } from "vue";
import { useRoute, useRouter } from "vue-router";

import { api, Problem, type TripDetail } from "@/api/client";
import { useMay, useTrip } from "@/api/queries";
import { count, exact, fullTime, many, when } from "@/parts/format";
import StageLabel from "@/parts/StageLabel.vue";
import TheLine from "@/parts/TheLine.vue";
import TheSum from "@/parts/TheSum.vue";
import { awaited } from "@/sendout/awaited";
import { useKeys } from "@/services/keys";
import { download } from "@/services/download";
import { say } from "@/services/notices";
import { useInAddress } from "@/ui/address";
import AlertNote from "@/ui/AlertNote.vue";
import BusyButton from "@/ui/BusyButton.vue";
import { useDoing } from "@/ui/doing";

import AbsentLine from "./absent/AbsentLine.vue";
import { tripKey } from "./context";
import { allPasses, readBackWords } from "./outcome/allPasses";
import PartChoice from "./parts/PartChoice.vue";
import WaysBack from "./WaysBack.vue";
import { lookedAt } from "@/api/part";

const STATIONS = {
  file: defineAsyncComponent(() => import("./file/FileStation.vue")),
  columns: defineAsyncComponent(() => import("./columns/ColumnsStation.vue")),
  keys: defineAsyncComponent(() => import("./keys/KeysStation.vue")),
  review: defineAsyncComponent(() => import("./review/ReviewStation.vue")),
  apply: defineAsyncComponent(() => import("./apply/ApplyStation.vue")),
  outcome: defineAsyncComponent(() => import("./outcome/OutcomeStation.vue")),
};
type StationName = keyof typeof STATIONS;

defineEmits<{ bring: [] }>();
const route = useRoute();
const router = useRouter();
const client = useQueryClient();
const id = computed(() => Number(route.params.id));
watch(
  () => [route.name, route.query.part],
  () => (lookedAt.value = route.name === "trip" && typeof route.query.part === "string" ? route.query.part : ""),
  { immediate: true, flush: "sync" },
);
onBeforeUnmount(() => (lookedAt.value = ""));
const { data: found, error, failureReason } = useTrip(id);
const isGone = computed(() => error.value instanceof Problem && error.value.status === 404);
/** The trip as it was last known: its stations are there only while it is. */
const known = shallowRef<TripDetail>();
watch(found, (now) => (known.value = now ?? known.value), { immediate: true, flush: "sync" });
const trip = computed(() => {
  const now = isGone.value ? undefined : known.value;
  return now?.id === id.value && (!lookedAt.value || String(now.part) === lookedAt.value) ? now : undefined;
});
const part = computed(() => trip.value?.parts.find((one) => one.number === trip.value?.part));
const mayPrepare = useMay("prepare");
const isStation = (name: unknown): name is StationName => typeof name === "string" && name in STATIONS;
const open = computed<StationName>(() => {
  const said = [route.params.station, trip.value?.here].find(isStation);
  return said ?? "file";
});
const asked = useInAddress("state");
/** Outcome opens on what is not in; whoever wants all of it says so. */
const state = computed({
  get: () => {
    if (asked.value) return asked.value === "all" ? "" : asked.value;
    return open.value === "outcome" && trip.value?.outcomes.length ? "not-in" : "";
  },
  set: (value) => {
    asked.value = value || (open.value === "outcome" ? "all" : "");
  },
});
const withSum = computed(
  () => ["review", "apply", "outcome"].includes(open.value) && trip.value?.rows != null && !!trip.value.plan,
);

function choose(verdict: string): void {
  if (open.value !== "apply") {
    state.value = verdict;
    return;
  }
  const station = trip.value?.here === "outcome" ? "outcome" : "review";
  void router.push({ params: { id: id.value, station }, query: { state: verdict || "all" } });
}

const set = (now: TripDetail): void => void client.setQueryData(["trip", id.value, lookedAt.value], now);
const refresh = async (): Promise<void> => {
  await client.invalidateQueries({ queryKey: ["trip", id.value] });
};
/** For the stations, which are shown only while there is a trip. */
const there = computed(() => {
  if (!known.value) throw new Error("no trip is there");
  return known.value;
});
provide(tripKey, { trip: there, mayPrepare, set, refresh });

const brokenOff = computed(() =>
  trip.value?.passes.some((one) => one.state === "interrupted" || one.state === "paused"),
);
/** What became of the rows that were sent last stays what it is, however the sheet is planned after. */
const sent = computed(() =>
  open.value === "outcome" ? trip.value?.passes.findLast((one) => one.totals && one.sum)?.sum : undefined,
);
const sum = computed(
  () => (open.value === "review" ? trip.value?.summary?.verdicts : (sent.value ?? trip.value?.sum)) ?? {},
);
const rows = computed(() =>
  sent.value ? Object.values(sent.value).reduce((all, some) => all + some, 0) : (trip.value?.rows ?? 0),
);
const total = computed(
  () =>
    trip.value?.columns.find((c) => c.difference && c.difference !== "0" && c.before !== "0") ??
    trip.value?.columns.find((c) => c.difference && c.difference !== "0"),
);
const readBack = computed(() => trip.value && allPasses(trip.value.passes));
const sentOut = computed(() => trip.value?.sheets.findLast((s) => s.direction === "out"));
const cameIn = computed(() => trip.value?.sheets.findLast((s) => s.direction === "in"));
const story = computed(() => {
  const parts = [`trip ${id.value}`];
  const out = trip.value?.went_out?.records || sentOut.value?.rows;
  if (trip.value?.takes_back) return `${parts[0]} · made ${when(trip.value.created_at)}`;
  if (sentOut.value) parts.push(`${count(out)} sent out ${when(sentOut.value.added_at)}`);
  if (cameIn.value) parts.push(`${sentOut.value ? "back" : "came in"} ${when(cameIn.value.added_at)}`);
  return parts.join(" · ");
});
const storyTitle = computed(() =>
  [sentOut.value, cameIn.value].map((s) => (s ? `${s.name}: ${fullTime(s.added_at)}` : "")).join("\n"),
);

/** The sheet that this window asked for is downloaded once it is there. */
watch(
  () => trip.value?.went_out?.pending === false && awaited.has(trip.value.id),
  async (there) => {
    const now = trip.value;
    if (!there || !now?.went_out) return;
    awaited.delete(now.id);
    const { parts, records } = now.went_out;
    const shared = parts > 1;
    const saved = await download(`/api/trips/${now.id}/${shared ? "parts.zip" : `sheets/${sentOut.value?.id}`}`);
    const what = shared ? `The ${count(parts)} sheets are` : "The sheet is";
    say(
      `${many(records, "record", "records")} went out. ${what} ${saved ? "downloaded, and " : ""}kept with the trip.`,
    );
  },
  { immediate: true },
);
const stopping = useDoing<unknown, number>((job) => api.DELETE("/api/jobs/{id}", { params: { path: { id: job } } }), {
  after: refresh,
});

useKeys(
  "Stations",
  Object.keys(STATIONS).map((station, at) => ({
    key: `Alt ${at + 1}`,
    says: station,
    quiet: true,
    run: () => void router.push({ name: "trip", params: { id: id.value, station } }),
  })),
);
</script>

<template>
  <div v-if="trip" class="flex min-h-0 flex-1 flex-col">
    <div class="where">
      <StageLabel :stage="trip.application.stage" />
      <span class="soft">{{ trip.application.label }} › {{ trip.plural }}</span>
      <h1>{{ trip.title }}</h1>
      <PartChoice v-if="part" :parts="trip.parts" :part="part" />
      <span class="soft" :title="storyTitle">{{ story }}</span>
      <span id="trip-actions" class="ml-auto flex min-h-8 gap-2" />
    </div>
    <TheLine :trip="trip.id" :stations="trip.stations" :open="open" />
    <TheSum v-if="withSum" :rows="rows" :sum="sum" :chosen="state" @choose="choose">
      <template v-if="open === 'outcome' && readBack">{{ readBackWords(readBack) }}</template>
      <template v-else-if="total"
        >{{ total.label }}, changed rows: {{ exact(total.before) }} → <b>{{ exact(total.after) }}</b></template
      >
    </TheSum>
    <WaysBack :trip="trip" />
    <AbsentLine v-if="withSum" :outcome="open === 'outcome'" />
    <AlertNote v-if="trip.trouble && !trip.job && !(open === 'apply' && brokenOff)" class="mx-4 mb-2 flex-none">{{
      trip.trouble
    }}</AlertNote>
    <p
      v-else-if="trip.job && open !== 'apply'"
      class="mx-4 mb-2 flex flex-none items-center gap-3 rounded border border-rule bg-panel px-3 py-1.5"
      role="status"
    >
      {{ trip.job.message || trip.job.kind }}…
      <progress
        :value="trip.job.total ? (trip.job.done ?? 0) / trip.job.total : undefined"
        class="w-60"
        aria-label="Progress"
      />
      <span v-if="(trip.job.total ?? 0) > 10" class="soft"
        >{{ count(trip.job.done) }} of {{ many(trip.job.total ?? 0, "row", "rows") }}</span
      >
      <BusyButton
        v-if="mayPrepare && trip.job.kind === 'send out'"
        type="button"
        class="sm ml-auto"
        :busy="stopping.busy.value || trip.job.wanted === 'stop'"
        says="Stopping…"
        @click="stopping.start(trip.job.id)"
        >Stop</BusyButton
      >
    </p>
    <component
      :is="STATIONS[open]"
      :key="`${trip.id} ${open} ${lookedAt}`"
      v-model:state="state"
      @choose="choose"
      @bring="$emit('bring')"
    />
  </div>
  <div v-else class="p-6" role="status">
    <template v-if="isGone"
      ><h1>There is no such trip.</h1>
      <RouterLink class="btn mt-3" to="/">To the trips</RouterLink></template
    >
    <span v-else-if="!failureReason" class="soft">Opening the trip…</span>
  </div>
</template>
