<script setup lang="ts">
import { computed, ref } from "vue";

import type { Row } from "@/api/client";
import type { GridColumn } from "@/grid/columns";
import DataGrid from "@/grid/DataGrid.vue";
import { useWindow } from "@/grid/useWindow";
import { count, fullTime, many } from "@/parts/format";
import FindingsCard from "@/sheets/FindingsCard.vue";
import TitleRows from "@/sheets/TitleRows.vue";
import { useInAddress } from "@/ui/address";
import { useSelected } from "@/ui/selected";
import SidePanel from "@/ui/SidePanel.vue";

import { useTripContext } from "../context";
import CellCard from "../edit/CellCard.vue";
import EditsCard from "../edit/EditsCard.vue";
import { useCellEdits, useEditing } from "../edit/editing";
import ReplaceCard from "../edit/ReplaceCard.vue";
import PartsTable from "../parts/PartsTable.vue";
import { parted } from "../parts/words";
import DamageCard from "./DamageCard.vue";
import DeleteTrip from "./DeleteTrip.vue";
import NotBackYet from "./NotBackYet.vue";
import NotLookedFor from "./NotLookedFor.vue";
import SheetCards from "./SheetCards.vue";
import TotalsCard from "../totals/TotalsCard.vue";
import WentOutCard from "./WentOutCard.vue";
import WhichRows from "./WhichRows.vue";

defineEmits<{ bring: []; choose: [string] }>();
const { trip, mayPrepare } = useTripContext();
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
const { only } = useEditing();
const ticked = (rows: Row[], out: boolean): void => {
  const ids = rows.map((one) => one.row_id);
  only(out ? { leave_out: ids } : { take_in: ids });
};
const row = computed(() => window.rowAt(current.value));
const meant = computed(() => trip.value.columns[column.value]);
const grid = ref<{ type: () => boolean }>();
/** What stands beside the grid. */
const beside = useInAddress("beside");
const unlooked = computed(() => trip.value.summary?.patterns_not_read.length ?? 0);
const noticed = computed(() => (found.value.findings?.length ?? 0) + trip.value.damage.length + unlooked.value);
const off = computed(() => trip.value.expected.filter((one) => one.off).length);
const VIEWS = computed(() => [
  { value: "", says: "Sheet" },
  { value: "findings", says: noticed.value ? many(noticed.value, "finding", "findings") : "Findings" },
  { value: "totals", says: off.value ? `Totals, ${count(off.value)} not as expected` : "Totals" },
  { value: "edits", says: trip.value.edits ? many(trip.value.edits, "edit", "edits") : "Edits" },
  ...(trip.value.parts.length ? [{ value: "parts", says: parted(trip.value.parts) }] : []),
]);
const { typed, pasted } = useCellEdits();
const columns = computed<GridColumn[]>(() =>
  trip.value.columns.map((c, at) => ({
    at,
    key: c.column,
    title: c.header || "no header",
    sub: `${count(c.filled)} of ${count(trip.value.rows)} filled · ${many(c.different, "value", "values")}`,
  })),
);
const found = computed(() => sheet.value?.found ?? { first_rows: [] });
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
      <PartsTable v-else-if="!trip.went_out?.pending && trip.parts.length" />
      <NotBackYet v-else @bring="$emit('bring')" />
    </div>
    <SidePanel v-if="sheet && beside && beside !== 'parts'" label="About the file">
      <template v-if="beside === 'findings'">
        <h2>What was found</h2>
        <DamageCard />
        <NotLookedFor />
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
      <SheetCards v-if="sheet" :sheet="sheet" @damage="beside = 'findings'">
        <CellCard
          v-if="meant"
          :row="row"
          :column="meant"
          :below="window.total.value - current - 1"
          @edit="grid?.type()"
        />
      </SheetCards>
      <template v-if="sent.length">
        <h2>Sent out</h2>
        <section v-for="one in trip.parts.length ? [] : sent" :key="one.id" class="card">
          <b class="break-words">{{ one.name }}</b>
          <p>{{ many(one.rows ?? 0, "record", "records") }} · {{ one.added_by.name }}, {{ fullTime(one.added_at) }}</p>
          <a class="btn sm mt-2" :href="`/api/trips/${trip.id}/sheets/${one.id}`" download>Download the sheet</a>
        </section>
        <WentOutCard />
      </template>
      <DeleteTrip />
    </SidePanel>
  </div>
</template>
