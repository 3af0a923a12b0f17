<script setup lang="ts">
import { computed, ref } from "vue";

import { api, data, type Row, type Schemas } from "@/api/client";
import { jobDone } from "@/api/queries";
import type { GridColumn } from "@/grid/columns";
import DataGrid from "@/grid/DataGrid.vue";
import { useWindow } from "@/grid/useWindow";
import { count, fullTime, many } from "@/parts/format";
import StageLabel from "@/parts/StageLabel.vue";
import FindingsCard from "@/sheets/FindingsCard.vue";
import HowRead from "@/sheets/HowRead.vue";
import TitleRows from "@/sheets/TitleRows.vue";
import { bring } from "@/services/bringIn";
import BusyButton from "@/ui/BusyButton.vue";
import { useDoing } from "@/ui/doing";
import { useInAddress } from "@/ui/address";
import { useSelected } from "@/ui/selected";
import SidePanel from "@/ui/SidePanel.vue";

import { useTripContext } from "../context";
import { harmedCells } from "../damage";
import CellCard from "../edit/CellCard.vue";
import EditsCard from "../edit/EditsCard.vue";
import { blockOf, blockWords, useEditing } from "../edit/editing";
import ReplaceCard from "../edit/ReplaceCard.vue";
import PartsTable from "../parts/PartsTable.vue";
import { parted } from "../parts/words";
import DamageCard from "./DamageCard.vue";
import DiffersCard from "./DiffersCard.vue";
import TotalsCard from "../totals/TotalsCard.vue";
import WentOutCard from "./WentOutCard.vue";
import WhichRows from "./WhichRows.vue";

defineEmits<{ bring: []; choose: [string] }>();
const { trip, mayPrepare, refresh } = useTripContext();
const sheet = computed(() => trip.value.sheets.findLast((s) => s.direction === "in"));
const sent = computed(() => trip.value.sheets.filter((s) => s.direction === "out"));
const window = useWindow(() => ({
  trip: sheet.value ? trip.value.id : 0,
  view: "file",
  state: "",
  column: "",
  text: "",
  order: "",
  version: `${sheet.value?.id} ${trip.value.version}`,
}));
const { row: current, column } = useSelected();
const { edit, only } = useEditing();
const ticked = (rows: Row[], out: boolean): void => {
  const ids = rows.map((one) => one.row_id);
  only(out ? { leave_out: ids } : { take_in: ids });
};
const row = computed(() => window.rowAt(current.value));
const meant = computed(() => trip.value.columns[column.value]);
const grid = ref<{ type: () => boolean }>();
/** What stands beside the grid. */
const beside = useInAddress("beside");
const harmed = computed(() => harmedCells(trip.value));
const noticed = computed(() => (found.value.findings?.length ?? 0) + trip.value.damage.length);
const off = computed(() => trip.value.expected.filter((one) => one.off).length);
const VIEWS = computed(() => [
  { value: "", says: "Sheet" },
  { value: "findings", says: noticed.value ? many(noticed.value, "finding", "findings") : "Findings" },
  { value: "totals", says: off.value ? `Totals, ${count(off.value)} not as expected` : "Totals" },
  { value: "edits", says: trip.value.edits ? many(trip.value.edits, "edit", "edits") : "Edits" },
  ...(trip.value.parts.length ? [{ value: "parts", says: parted(trip.value.parts) }] : []),
]);
const goingOn = useDoing<unknown>(
  () => data(api.POST("/api/trips/{id}/send-out", { params: { path: { id: trip.value.id } } })),
  { after: refresh },
);
function typed(line: Row, at: number, text: string): void {
  const own = trip.value.columns[at];
  if (own) edit({ kind: "cell", row_id: line.row_id, column: own.column, text });
}
function pasted(line: Row, at: number, text: string): void {
  const own = trip.value.columns[at];
  const block = blockOf(text);
  if (own) edit({ kind: "paste", row_id: line.row_id, column: own.column, block }, blockWords(block));
}
const columns = computed<GridColumn[]>(() =>
  trip.value.columns.map((c, at) => ({
    at,
    key: c.column,
    title: c.header || "no header",
    sub: `${count(c.filled)} of ${count(trip.value.rows)} filled · ${many(c.different, "value", "values")}`,
  })),
);
const found = computed(() => sheet.value?.found ?? { first_rows: [] });
const reading = useDoing<unknown, Schemas["Choices"]>(
  async (body) => {
    const params = { path: { id: trip.value.id }, header: { "If-Match": `"${trip.value.version}"` } };
    const asked = await data(api.PATCH("/api/trips/{id}/choices", { params, body }));
    await jobDone(asked.id);
  },
  { after: refresh },
);
const WAYS: Record<string, string> = {
  stamp: "This sheet was sent out on this trip, as its stamp says, so each cell is compared with what went out.",
  cells: "This sheet was sent out on this trip, so each cell is compared with what went out.",
  rows: "These rows went out from this trip, and are laid over the sheet that they came from.",
  same: "The same file came in before.",
  said: "A person said that it belongs here.",
};
const origin = computed(() => {
  const own = sheet.value?.origin;
  if (!own?.how) return "This sheet was not sent out from here. It is compared with the application as it is now.";
  return WAYS[own.how] ?? "";
});
const chooser = ref<HTMLInputElement>();
function chose(event: Event): void {
  const file = event.target instanceof HTMLInputElement ? event.target.files?.[0] : undefined;
  if (file) void bring(file, { next: trip.value.id });
}
</script>

<template>
  <div class="work">
    <div class="main">
      <PartsTable v-if="sheet && beside === 'parts'" />
      <template v-else-if="sheet">
        <div class="tools">
          <b>{{ many(trip.rows ?? 0, "row", "rows") }}, {{ many(trip.columns.length, "column", "columns") }}</b>
          <span class="soft">{{
            trip.edits ? "as they stand in the file, with what was edited here" : "as they stand in the file"
          }}</span>
          <span class="ml-auto flex gap-1.5">
            <button
              v-for="one in VIEWS"
              :key="one.value"
              type="button"
              class="chip"
              :aria-pressed="beside === one.value"
              :data-testid="`beside-${one.value || 'sheet'}`"
              @click="beside = one.value"
            >
              {{ one.says }}
            </button>
          </span>
        </div>
        <TitleRows :found="found" />
        <DataGrid
          ref="grid"
          v-model:current="current"
          v-model:column="column"
          :window="window"
          :columns="columns"
          :corner="found.header_row ? count(found.header_row) : 'Row'"
          :editable="mayPrepare ? () => true : undefined"
          label="The sheet as it came"
          :ticks="mayPrepare"
          @edit="typed"
          @tick="ticked"
          @paste="pasted"
        />
      </template>
      <div v-else-if="trip.went_out?.pending" class="m-auto max-w-md p-6 text-center">
        <template v-if="trip.job">
          <h2 class="!text-title">The records are on their way out.</h2>
          <p class="soft mt-2">You may leave this page: it goes on, and the sheet stays with the trip.</p>
        </template>
        <template v-else>
          <h2 class="!text-title">The records did not go out yet.</h2>
          <p class="soft mt-2">It was stopped, or broke off. What was read is kept, and it goes on from there.</p>
          <BusyButton
            v-if="mayPrepare"
            type="button"
            class="go mt-4"
            :busy="goingOn.busy.value"
            @click="goingOn.start()"
            >Go on sending out</BusyButton
          >
        </template>
      </div>
      <PartsTable v-else-if="trip.parts.length" />
      <div v-else class="m-auto max-w-md p-6 text-center">
        <h2 class="!text-title">This trip's sheet is not back yet.</h2>
        <p class="soft mt-2">
          Change cells in the sheet that was sent out, save it, and drop it anywhere here. Vexo compares each cell with
          what went out and shows what would change.
        </p>
        <button v-if="mayPrepare" type="button" class="btn go mt-4" @click="$emit('bring')">
          Bring the sheet in <kbd>I</kbd>
        </button>
      </div>
    </div>
    <SidePanel v-if="sheet && beside && beside !== 'parts'" label="About the file">
      <template v-if="beside === 'findings'">
        <h2>What was found</h2>
        <DamageCard />
        <FindingsCard :findings="found.findings ?? []" />
        <p v-if="!noticed" class="soft">Nothing: the sheet reads as it stands.</p>
      </template>
      <template v-else-if="beside === 'totals'">
        <h2>Counts and totals</h2>
        <TotalsCard />
        <WhichRows />
      </template>
      <template v-else>
        <h2>Edits</h2>
        <CellCard :row="row" :column="meant" :below="window.total.value - current - 1" @edit="grid?.type()" />
        <ReplaceCard :column="meant" />
        <EditsCard />
      </template>
    </SidePanel>
    <SidePanel v-else label="About the file">
      <template v-if="sheet">
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
          <p v-else class="mt-1">{{ origin }}</p>
          <p v-if="sheet.origin.account" class="mt-1">Known: {{ sheet.origin.account }}.</p>
          <p class="soft mt-1">{{ sheet.added_by.name }}, {{ fullTime(sheet.added_at) }}</p>
        </section>
        <DiffersCard v-if="sheet.differs" :differs="sheet.differs" />
        <HowRead
          :found="found"
          :choices="sheet.choices"
          :disabled="!mayPrepare || reading.busy.value || !!trip.job"
          @change="reading.start($event)"
        />
        <button v-if="harmed" type="button" class="btn font-semibold !text-held" @click="beside = 'findings'">
          {{ many(harmed, "cell looks", "cells look") }} damaged by a spreadsheet
        </button>
        <CellCard
          v-if="meant"
          :row="row"
          :column="meant"
          :below="window.total.value - current - 1"
          @edit="grid?.type()"
        />
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
        <button v-if="mayPrepare" type="button" class="btn" @click="chooser?.click()">
          Bring in a corrected version…
        </button>
        <input
          ref="chooser"
          type="file"
          class="hidden"
          tabindex="-1"
          aria-label="A corrected version"
          @change="chose"
        />
      </template>
      <template v-if="sent.length">
        <h2>Sent out</h2>
        <section v-for="one in trip.parts.length ? [] : sent" :key="one.id" class="card">
          <b class="break-words">{{ one.name }}</b>
          <p>{{ many(one.rows ?? 0, "record", "records") }} · {{ one.added_by.name }}, {{ fullTime(one.added_at) }}</p>
          <a class="btn sm mt-2" :href="`/api/trips/${trip.id}/sheets/${one.id}`" download>Download the sheet</a>
        </section>
        <WentOutCard />
      </template>
    </SidePanel>
  </div>
</template>
