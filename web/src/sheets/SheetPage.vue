<script setup lang="ts">
/** A file that came and is of no trip yet: its cells first, and beside them what it is about. */
import { useQueryClient } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";

import { api, data, type Job, type Schemas } from "@/api/client";
import { jobDone, useMay, useRoutes, useTrip, useWaiting } from "@/api/queries";
import type { GridColumn } from "@/grid/columns";
import DataGrid from "@/grid/DataGrid.vue";
import { useWindow } from "@/grid/useWindow";
import { count, many } from "@/parts/format";
import TheLine from "@/parts/TheLine.vue";
import { useKeys } from "@/services/keys";
import { say } from "@/services/notices";
import AlertNote from "@/ui/AlertNote.vue";
import { useDoing } from "@/ui/doing";
import { useSelected } from "@/ui/selected";
import SidePanel from "@/ui/SidePanel.vue";

import type { About, Place } from "./about";
import FindingsCard from "./FindingsCard.vue";
import HowRead from "./HowRead.vue";
import FittingRoutes from "./FittingRoutes.vue";
import KnownTrip from "./KnownTrip.vue";
import LikelyTrips from "./LikelyTrips.vue";
import PartsCard from "./PartsCard.vue";
import RefillCard from "./RefillCard.vue";
import SheetTotals from "./SheetTotals.vue";
import TitleRows from "./TitleRows.vue";
import WaitingHead from "./WaitingHead.vue";
import WhatAbout from "./WhatAbout.vue";

const route = useRoute();
const router = useRouter();
const client = useQueryClient();
const id = computed(() => Number(route.params.id));
const { data: sheet, error, refetch } = useWaiting(id);
const mayPrepare = useMay("prepare");

const version = ref(0);
const readAs = computed(() => {
  const { worksheet, header, encoding, delimiter } = sheet.value?.choices ?? {};
  return JSON.stringify([worksheet, header, encoding, delimiter]);
});
const window = useWindow(() => ({
  trip: sheet.value?.state === "read" && sheet.value.trip == null ? id.value : 0,
  view: "waiting",
  state: "",
  column: "",
  text: "",
  order: "",
  version: `${version.value} ${readAs.value}`,
}));
const { row, column } = useSelected();
const columns = computed<GridColumn[]>(() =>
  (sheet.value?.columns ?? []).map((one, at) => ({
    at,
    key: one.name,
    title: one.header || "no name",
    sub: `${count(one.filled)} of ${count(sheet.value?.rows)} filled · ${many(one.different, "value", "values")}`,
  })),
);

/** The trip whose next version a person says that this is, and the one on whose page it was dropped. */
const next = computed(() => Number(route.query.next) || 0);
const on = computed(() => Number(route.query.on) || 0);
const { data: meant } = useTrip(computed(() => next.value || on.value));
const known = computed(() => sheet.value?.known ?? undefined);
/** The route that a person chose before the file came. */
const { data: routes } = useRoutes();
const wanted = computed(() => {
  const found = routes.value?.find((one) => one.id === Number(route.query.way));
  return found && { id: found.id, name: found.name, application: found.application, record_type: found.record_type };
});
const anew = ref(route.query.new === "1");
const likely = computed(() => {
  const found = known.value?.likely ?? [];
  const open = meant.value;
  if (!on.value || open?.id !== on.value || found.some((one) => one.trip === open.id)) return found;
  const account = "the trip on whose page it was dropped: a newer version of its sheet";
  const own = { trip: open.id, title: open.title, application: open.application.name, record_type: open.record_type };
  return [{ ...own, account }, ...found];
});

const about = ref<About>({ application: "", recordType: "", operation: "update" });
const marks = ref(false);
const keptPrefix = ref(false);
const choices = computed<Schemas["Choices"]>(() => ({
  ...sheet.value?.choices,
  prefix: keptPrefix.value ? "keep" : "off",
  marks: marks.value,
}));
const sentence = computed(() => {
  const found = sheet.value;
  return found ? `${many(found.rows ?? 0, "row", "rows")}, ${many(found.columns.length, "column", "columns")}` : "";
});
const guards = computed(() => sheet.value?.found.findings?.some((finding) => finding.kind === "prefix"));

const says = ref("");
/** It is on its way in, by this page or another. */
const coming = computed(() => taking.busy.value || !!sheet.value?.coming_in);
const told = (job: Job): void => {
  says.value = job.message || "reading the file";
};
const taking = useDoing<Job, Place>(
  async ({ application, recordType, trip, operation = "", route: way }) => {
    const body = {
      application,
      record_type: recordType,
      trip,
      operation,
      key: [],
      route: way ?? null,
      prefix: guards.value ? (keptPrefix.value ? ("keep" as const) : ("off" as const)) : ("" as const),
      marks: marks.value,
    };
    const params = { path: { number: id.value } };
    const asked = await data(api.POST("/api/uploads/{number}/bring-in", { params, body }));
    return jobDone(asked.id, told);
  },
  {
    failed: () => {},
    done: async (job) => {
      const name = sheet.value?.name ?? "The sheet";
      await client.invalidateQueries();
      const params = { path: { id: job.trip ?? 0 } };
      const trip = await data(api.GET("/api/trips/{id}", { params }));
      const asks = trip.columns.some((one) => one.questions.length) && !trip.sheets.at(-1)?.recognised;
      const station = asks ? "columns" : job.kind === "plan" ? "review" : "";
      await router.replace({ name: "trip", params: { id: job.trip, station } });
      if (job.result?.unchanged) say(`${name} is this trip's sheet already, unchanged. Nothing new came in.`);
      else say(`${name} is in. Nothing has been written to the application.`);
    },
    after: () => client.invalidateQueries({ queryKey: ["waiting"] }),
  },
);
/** A sheet that is known goes to its trip by itself, once. */
let gone = 0;
watch(
  [sheet, meant, wanted],
  ([now, trip]) => {
    if (!now || now.state !== "read" || gone === id.value || anew.value || now.trip != null || !mayPrepare.value)
      return;
    const own = trip?.id === next.value ? trip : undefined;
    const way = wanted.value ?? now.known?.routes?.find((one) => one.id === now.known?.route);
    if (route.query.way && !wanted.value) return;
    if (next.value ? !own : !now.known?.trip && !way) return;
    gone = id.value;
    if (!own && way && (wanted.value || !now.known?.trip)) {
      takeOn(way);
      return;
    }
    taking.start({
      application: own?.application.name ?? now.known?.application ?? "",
      recordType: own?.record_type ?? now.known?.record_type ?? "",
      trip: String(own?.id ?? now.known?.trip),
    });
  },
  { immediate: true },
);
function takeOn(way: Pick<Schemas["RouteFit"], "id" | "application" | "record_type">): void {
  taking.start({ application: way.application, recordType: way.record_type, trip: "new", route: way.id });
}
const ready = computed(
  () => !!about.value.application && !!about.value.recordType && sheet.value?.state === "read" && !!known.value,
);
function bringIn(): void {
  if (ready.value) taking.start({ ...about.value, trip: "new" });
}
const lookAnew = (): void => {
  version.value += 1;
  void refetch();
};
const reading = useDoing<unknown, Schemas["Choices"]>(
  async ({ prefix, marks: count_, ...body }) => {
    marks.value = !!count_;
    keptPrefix.value = prefix === "keep";
    const before = sheet.value?.choices ?? {};
    if (JSON.stringify({ ...before, ...body }) === JSON.stringify(before)) return;
    const params = { path: { number: id.value } };
    const asked = await data(api.PATCH("/api/uploads/{number}", { params, body }));
    await jobDone(asked.id);
  },
  { failed: () => {}, after: lookAnew },
);
const leaving = useDoing(
  async () => {
    await data(api.DELETE("/api/uploads/{number}", { params: { path: { number: id.value } } }));
  },
  {
    done: async () => {
      await router.push("/");
    },
    after: () => client.invalidateQueries({ queryKey: ["waiting"] }),
  },
);
const trouble = computed(
  () => taking.error.value?.message ?? reading.error.value?.message ?? (sheet.value?.trouble || ""),
);
const stations = computed(() =>
  (["file", "columns", "keys", "review", "apply", "outcome"] as const).map((name) => ({
    name,
    state: name === "file" ? ("here" as const) : ("ahead" as const),
    says: name === "file" ? (sheet.value?.state === "failed" ? "cannot be read" : "what is it about?") : "—",
    asks: name === "file",
  })),
);
useKeys("The sheet", [{ key: "B", says: "bring it in", run: bringIn }]);
</script>

<template>
  <div v-if="sheet" class="flex min-h-0 flex-1 flex-col">
    <WaitingHead
      :sheet="sheet"
      :may-prepare="mayPrepare"
      :coming="coming"
      :ready="ready"
      :leaving="leaving.busy.value || taking.busy.value"
      @leave="leaving.start()"
      @bring="bringIn()"
    />
    <TheLine :stations="stations" open="file" />
    <div class="work">
      <div class="main">
        <div class="tools">
          <b>{{
            sheet.state === "read" ? sentence : sheet.state === "failed" ? "It could not be read" : "Reading…"
          }}</b>
          <span v-if="sheet.state === 'read'" class="soft">as they stand in the file</span>
        </div>
        <TitleRows :found="sheet.found" />
        <DataGrid
          v-if="sheet.state === 'read'"
          v-model:current="row"
          v-model:column="column"
          :window="window"
          :columns="columns"
          :corner="sheet.found.header_row ? count(sheet.found.header_row) : 'Row'"
          label="The sheet as it came"
        />
        <p v-else class="soft m-auto p-6" role="status">
          {{ sheet.state === "failed" ? "There are no cells to show." : "Its cells are here in a moment." }}
        </p>
      </div>
      <SidePanel label="About the sheet">
        <AlertNote v-if="trouble">{{ trouble }}</AlertNote>
        <template v-if="sheet.trip != null">
          <h2>It is in.</h2>
          <RouterLink class="btn" :to="`/trips/${sheet.trip}`">To trip {{ sheet.trip }}</RouterLink>
        </template>
        <template v-else-if="known?.trip && !anew">
          <KnownTrip
            :known="known"
            :busy="coming"
            :says="says"
            :disabled="!mayPrepare"
            @choose="taking.start($event)"
            @other="anew = true"
          />
        </template>
        <template v-else-if="known">
          <h2>What is this sheet about?</h2>
          <template v-if="likely.length">
            <LikelyTrips :likely="likely" :disabled="coming || !mayPrepare" @choose="taking.start($event)" />
            <p>Or it is a sheet from elsewhere:</p>
          </template>
          <FittingRoutes :routes="known.routes ?? []" :disabled="coming || !mayPrepare" @take="takeOn" />
          <WhatAbout v-model="about" :known="known" :disabled="!mayPrepare || coming" />
          <p v-if="coming" class="soft" aria-live="polite">{{ says || "bringing it in" }}…</p>
          <RefillCard v-else-if="mayPrepare && sheet.files.length < 2" :upload="id" :about="about" />
        </template>
        <p v-else-if="sheet.state !== 'failed'" class="soft" role="status">Looking where it belongs…</p>
        <HowRead
          v-if="sheet.found.format && sheet.trip == null"
          :found="sheet.found"
          :choices="choices"
          :disabled="!mayPrepare || reading.busy.value || taking.busy.value"
          @change="reading.start($event)"
        />
        <FindingsCard :findings="sheet.found.findings ?? []" />
        <SheetTotals :columns="sheet.columns" />
        <PartsCard
          v-if="sheet.trip == null && mayPrepare"
          :upload="id"
          :files="sheet.files"
          :disabled="coming || sheet.state === 'reading'"
          @added="lookAnew()"
        />
      </SidePanel>
    </div>
  </div>
  <div v-else class="p-6" role="status">
    <template v-if="error">
      <h1>That file does not wait here any more.</h1>
      <p class="soft mt-1">It is in on its trip, or somebody left it.</p>
      <RouterLink class="btn mt-3" to="/">To the trips</RouterLink>
    </template>
    <span v-else class="soft">Opening the sheet…</span>
  </div>
</template>
