<script setup lang="ts">
import { computed, nextTick, ref } from "vue";
import { useRouter } from "vue-router";

import { tripAddress } from "@/api/part";
import { useApplications, useCarried, useMay, useTrips } from "@/api/queries";
import { useFootNote } from "@/services/foot";
import { useKeys } from "@/services/keys";
import StageLabel from "@/parts/StageLabel.vue";
import { count, many } from "@/parts/format";
import { useInAddress } from "@/ui/address";
import ChoiceList from "@/ui/ChoiceList.vue";

import CarriedChart from "./CarriedChart.vue";
import TripRow from "./TripRow.vue";
import WaitingSheets from "./WaitingSheets.vue";

defineEmits<{ bring: [] }>();
const router = useRouter();
const mayPrepare = useMay("prepare");
const { data: applications } = useApplications();
const { data: carried } = useCarried();
const filter = useInAddress("trips", "all");
const application = useInAddress("application");
/** Trips that are asked for beside those that wait; undefined for as many as is usual. */
const most = ref<number>();
const { data: trips, isPending } = useTrips({ application, most });
const older = computed(() => (trips.value ? trips.value.total - trips.value.list.length : 0));
/** Older ones that wait for a person, too. */
const waiting = computed(() => trips.value?.waiting ?? 0);
const current = ref(0);
const choices = computed(() => [
  { value: "", label: "All applications" },
  ...(applications.value ?? []).map((a) => ({ value: a.name, label: a.label })),
]);

const own = computed(() =>
  (trips.value?.list ?? []).filter((t) => !application.value || t.application.name === application.value),
);
/** A number of trips of which not all are here. */
const atLeast = (number: number): string => count(number) + (older.value > 0 ? "+" : "");
const filters = computed(() => [
  { name: "all", says: "All", trips: own.value },
  { name: "asks", says: "Waits for a person", trips: own.value.filter((t) => t.asks) },
  { name: "under way", says: "Under way", trips: own.value.filter((t) => !t.asks && !t.finished) },
  { name: "finished", says: "Finished", trips: own.value.filter((t) => t.finished) },
]);
const shown = computed(() => filters.value.find((f) => f.name === filter.value)?.trips ?? []);

const STEP = 100;
const MOST = 2_000;
function more(): void {
  most.value = Math.min(MOST, (most.value ?? STEP) + STEP);
}

interface Line {
  focus: () => void;
}
const lines = new Map<number, Line>();
function keep(at: number, line: unknown): void {
  if (line) lines.set(at, line as Line);
  else lines.delete(at);
}
function move(by: number): void {
  current.value = Math.max(0, Math.min(shown.value.length - 1, current.value + by));
  void nextTick(() => lines.get(current.value)?.focus());
}
function open(): void {
  const trip = shown.value[current.value];
  if (trip) void router.push(tripAddress(trip));
}
useKeys("Trips", [
  {
    key: "J",
    says: "next trip",
    run: () => {
      move(1);
    },
  },
  {
    key: "K",
    says: "previous trip",
    run: () => {
      move(-1);
    },
  },
  { key: "Enter", says: "open", run: open },
]);
useFootNote(() => {
  if (!trips.value) return "";
  const asks = own.value.filter((t) => t.asks).length + waiting.value;
  return asks ? `${many(asks, "trip waits", "trips wait")} for a person` : "nothing waits for a person";
});
</script>

<template>
  <div
    class="grid min-h-0 flex-1 grid-cols-[minmax(0,1fr)_318px] gap-4 max-[1180px]:grid-cols-[minmax(0,1fr)_236px] overflow-auto px-4 py-3.5"
  >
    <div>
      <div class="mb-3.5 grid grid-cols-2 gap-3">
        <RouterLink to="/send-out" class="flex items-center gap-3.5 rounded-[10px] bg-marine px-4 py-3.5 text-white">
          <svg
            width="40"
            height="40"
            viewBox="0 0 40 40"
            fill="none"
            stroke="#E8B04A"
            stroke-width="3"
            aria-hidden="true"
          >
            <rect x="4" y="8" width="20" height="24" rx="2" />
            <path d="M17 20h19m-6-6 6 6-6 6" />
          </svg>
          <span
            ><b class="text-lead">Send records out <kbd>O</kbd></b
            ><span class="block text-small text-[#C4DADC]"
              >Choose records and fields, get a sheet to work on.</span
            ></span
          >
        </RouterLink>
        <button
          type="button"
          class="flex items-center gap-3.5 rounded-[10px] border-2 border-dashed border-marine bg-marine-tint px-4 py-3.5 text-left"
          :disabled="!mayPrepare"
          @click="$emit('bring')"
        >
          <svg
            width="40"
            height="40"
            viewBox="0 0 40 40"
            fill="none"
            stroke="#0B4F5C"
            stroke-width="3"
            aria-hidden="true"
          >
            <rect x="16" y="8" width="20" height="24" rx="2" />
            <path d="M4 20h19m-6-6 6 6-6 6" />
          </svg>
          <span
            ><b class="text-lead">Bring a sheet in <kbd>I</kbd></b
            ><span class="soft block text-small">Drop it anywhere. Vexo knows which trip it belongs to.</span></span
          >
        </button>
      </div>
      <WaitingSheets />
      <div class="mb-2 flex flex-wrap items-center gap-2">
        <h1>Trips</h1>
        <button
          v-for="one in filters"
          :key="one.name"
          type="button"
          class="chip"
          :aria-pressed="filter === one.name"
          @click="((filter = one.name), (current = 0))"
        >
          {{ one.says }}
          <span v-if="trips && one.name !== 'all'">{{
            one.name === "asks" ? count(one.trips.length + waiting) : atLeast(one.trips.length)
          }}</span>
        </button>
        <ChoiceList v-model="application" class="ml-auto" as="pill" label="Application" :options="choices" />
      </div>
      <ul class="overflow-hidden rounded-lg border border-rule bg-panel">
        <TripRow
          v-for="(trip, at) in shown"
          :key="trip.id"
          :ref="(line) => keep(at, line)"
          :trip="trip"
          :current="at === current"
          @focusin="current = at"
        />
        <li v-if="isPending" class="soft px-4 py-5">Looking for your trips…</li>
        <li v-else-if="trips && !shown.length" class="px-4 py-5">
          <b>{{ filter === "all" ? "No trips yet." : "No trip is like that now." }}</b>
          <p class="soft">
            A trip begins when records go out as a sheet, or when a sheet comes in. Send records out to begin one.
          </p>
        </li>
        <li v-if="older > 0" class="flex flex-wrap items-center gap-x-3 gap-y-1 px-4 py-3" data-testid="older">
          <span class="soft"
            >{{ many(older, "older trip is", "older trips are") }} not shown;
            {{ waiting ? `${count(waiting)} of them wait` : "none of them waits" }} for a person. Find one by its name
            or number with <kbd>Ctrl K</kbd>.</span
          >
          <button v-if="(most ?? 0) < MOST" type="button" class="btn sm" @click="more">Show more</button>
        </li>
      </ul>
    </div>
    <aside class="grid content-start gap-3">
      <section class="card">
        <h2 class="mb-1.5">Applications</h2>
        <RouterLink
          v-for="a in applications"
          :key="a.name"
          :to="`/applications/${a.name}`"
          class="grid grid-cols-[92px_minmax(0,1fr)] items-center gap-3 border-b border-rule py-1.5 last:border-0"
        >
          <span><StageLabel :stage="a.stage" /></span>
          <span
            ><span class="block truncate">{{ a.label }}</span>
            <span class="block truncate text-data" :class="a.trouble ? 'font-semibold text-reject' : 'soft'">{{
              a.trouble ? "does not answer" : a.answers_ms != null ? `OData · answers in ${a.answers_ms} ms` : "OData"
            }}</span></span
          >
        </RouterLink>
        <p v-if="applications && !applications.length" class="soft text-small">None is connected yet.</p>
      </section>
      <CarriedChart v-if="carried" :days="carried" />
    </aside>
  </div>
</template>
