<script setup lang="ts">
/** Beside the grid: where the sheet comes from, how it was read, and what is noticed about it. */
import { computed, ref } from "vue";

import { api, data, type Schemas, type TripDetail } from "@/api/client";
import { jobDone } from "@/api/queries";
import { fullTime, many } from "@/parts/format";
import StageLabel from "@/parts/StageLabel.vue";
import { bring } from "@/services/bringIn";
import HowRead from "@/sheets/HowRead.vue";
import { useDoing } from "@/ui/doing";

import { useTripContext } from "../context";
import { harmedCells } from "../damage";
import DiffersCard from "./DiffersCard.vue";
import WhichRows from "./WhichRows.vue";

const props = defineProps<{ sheet: TripDetail["sheets"][number] }>();
defineEmits<{ damage: [] }>();
const { trip, mayPrepare, refresh } = useTripContext();
const harmed = computed(() => harmedCells(trip.value));
const WAYS: Record<string, string> = {
  stamp: "This sheet was sent out on this trip, as its stamp says, so each cell is compared with what went out.",
  cells: "This sheet was sent out on this trip, so each cell is compared with what went out.",
  rows: "These rows went out from this trip, and are laid over the sheet that they came from.",
  same: "The same file came in before.",
  said: "A person said that it belongs here.",
};
const origin = computed(() => {
  const { how } = props.sheet.origin;
  if (!how) return "This sheet was not sent out from here. It is compared with the application as it is now.";
  return WAYS[how] ?? "";
});
const reading = useDoing<unknown, Schemas["Choices"]>(
  async (body) => {
    const params = { path: { id: trip.value.id }, header: { "If-Match": `"${trip.value.version}"` } };
    const asked = await data(api.PATCH("/api/trips/{id}/choices", { params, body }));
    await jobDone(asked.id);
  },
  { after: refresh },
);
const chooser = ref<HTMLInputElement>();
function chose(event: Event): void {
  const file = event.target instanceof HTMLInputElement ? event.target.files?.[0] : undefined;
  if (file) void bring(file, { next: trip.value.id });
}
</script>

<template>
  <h2 class="break-words">{{ sheet.name }}</h2>
  <section class="card">
    <b>{{ many(sheet.rows ?? 0, "row", "rows") }}, {{ many(trip.columns.length, "column", "columns") }}</b>
    <template v-if="sheet.origin.how === 'elsewhere'">
      <p class="mt-1 text-lead leading-snug font-bold text-held">
        <template v-if="sheet.origin.stage"><StageLabel :stage="sheet.origin.stage" />&#32;</template>
        This sheet comes from {{ sheet.origin.label }}, not from {{ trip.application.label }}.
      </p>
      <p class="mt-1">
        Its rows find records by their keys, never by record IDs, and no cell is compared with what went out.
      </p>
    </template>
    <p v-else-if="sheet.origin.how === 'receipt'" class="mt-1">
      A receipt of another trip here: its record IDs are those of {{ sheet.origin.record_type }} records in
      {{ sheet.origin.label }}, and name them where a reference is to them.
    </p>
    <p v-else class="mt-1">{{ origin }}</p>
    <p v-if="sheet.origin.account" class="mt-1">Known: {{ sheet.origin.account }}.</p>
    <p class="soft mt-1">{{ sheet.added_by.name }}, {{ fullTime(sheet.added_at) }}</p>
  </section>
  <DiffersCard v-if="sheet.differs" :differs="sheet.differs" />
  <HowRead
    :found="sheet.found"
    :choices="sheet.choices"
    :disabled="!mayPrepare || reading.busy.value || !!trip.job"
    @change="reading.start($event)"
  />
  <button v-if="harmed" type="button" class="btn harmed" @click="$emit('damage')">
    {{ many(harmed, "cell looks", "cells look") }} damaged by a spreadsheet
  </button>
  <slot />
  <WhichRows v-if="trip.row_filter.condition || trip.row_filter.left_out" />
  <a
    v-for="(name, at) in sheet.files"
    :key="at"
    class="btn min-w-0 flex-none"
    :href="`/api/trips/${trip.id}/sheets/${sheet.id}?file=${at}`"
    :title="name"
    download
    ><span class="truncate">Download {{ name }}</span></a
  >
  <button v-if="mayPrepare" type="button" class="btn" @click="chooser?.click()">Bring in a corrected version…</button>
  <input ref="chooser" type="file" class="hidden" tabindex="-1" aria-label="A corrected version" @change="chose" />
</template>
