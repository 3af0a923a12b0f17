<script setup lang="ts">
/** A file that came and is of no trip yet: its cells first, and beside them what it is about. */
import { computed, ref } from "vue";

import type { GridColumn } from "@/grid/columns";
import DataGrid from "@/grid/DataGrid.vue";
import { useWindow } from "@/grid/useWindow";
import { count, many } from "@/parts/format";
import TheLine from "@/parts/TheLine.vue";
import { useKeys } from "@/services/keys";
import AlertNote from "@/ui/AlertNote.vue";
import { useSelected } from "@/ui/selected";
import SidePanel from "@/ui/SidePanel.vue";

import type { About } from "./about";
import FindingsCard from "./FindingsCard.vue";
import HowRead from "./HowRead.vue";
import FittingRoutes from "./FittingRoutes.vue";
import KnownTrip from "./KnownTrip.vue";
import LikelyTrips from "./LikelyTrips.vue";
import PartsCard from "./PartsCard.vue";
import RefillCard from "./RefillCard.vue";
import SheetTotals from "./SheetTotals.vue";
import TitleRows from "./TitleRows.vue";
import { useWaitingSheet } from "./useWaitingSheet";
import WaitingHead from "./WaitingHead.vue";
import WhatAbout from "./WhatAbout.vue";

const {
  id,
  sheet,
  isGone,
  failureReason,
  mayPrepare,
  version,
  known,
  likely,
  anew,
  choices,
  says,
  coming,
  taking,
  takeOn,
  lookAnew,
  reading,
  leaving,
  trouble,
} = useWaitingSheet();
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

const sentence = computed(() => {
  const found = sheet.value;
  return found ? `${many(found.rows ?? 0, "row", "rows")}, ${many(found.columns.length, "column", "columns")}` : "";
});
const about = ref<About>({ application: "", recordType: "", operation: "update" });
const ready = computed(
  () => !!about.value.application && !!about.value.recordType && sheet.value?.state === "read" && !!known.value,
);
function bringIn(): void {
  if (ready.value) taking.start({ ...about.value, trip: "new" });
}
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
          <WhatAbout
            :about="about"
            :known="known"
            :disabled="!mayPrepare || coming"
            @said="about = { ...about, ...$event }"
          />
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
    <template v-if="isGone">
      <h1>That file does not wait here any more.</h1>
      <p class="soft mt-1">It is in on its trip, or somebody left it.</p>
      <RouterLink class="btn mt-3" to="/">To the trips</RouterLink>
    </template>
    <span v-else-if="!failureReason" class="soft">Opening the sheet…</span>
  </div>
</template>
