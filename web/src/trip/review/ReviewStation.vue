<script setup lang="ts">
import { computed, reactive, ref, watch } from "vue";
import { useRouter } from "vue-router";

import DataGrid from "@/grid/DataGrid.vue";
import { useWindow } from "@/grid/useWindow";
import { count, many } from "@/parts/format";
import { useKeys } from "@/services/keys";
import { useInAddress } from "@/ui/address";
import BusyButton from "@/ui/BusyButton.vue";
import ChoiceList from "@/ui/ChoiceList.vue";

import SidePanel from "@/ui/SidePanel.vue";

import { sends } from "../absent/absent";
import ApplyDialog from "../apply/ApplyDialog.vue";
import { unapproved } from "../apply/unapproved";
import { pictured, useArranged } from "../columns";
import { useTripContext } from "../context";
import { harmedCells } from "../damage";
import { useCellEdits } from "../edit/editing";
import FieldPicture from "../pictures/FieldPicture.vue";
import GroupsCard from "../totals/GroupsCard.vue";
import TotalsCard from "../totals/TotalsCard.vue";
import DecisionsCard from "./DecisionsCard.vue";
import DocumentMenu from "./DocumentMenu.vue";
import { useFilters } from "./filters";
import MovedFrom from "./MovedFrom.vue";
import MoveTrip from "./MoveTrip.vue";
import FoldChip from "../FoldChip.vue";
import OpenList from "../OpenList.vue";
import { usePlanAgain } from "../planning";
import { useSelected } from "@/ui/selected";
import RowPanel from "../rows/RowPanel.vue";

const state = defineModel<string>("state", { default: "" });
const emit = defineEmits<{ bring: []; choose: [string] }>();
const { trip, mayPrepare } = useTripContext();
const filters = reactive(useFilters(trip, state));
/** What stands beside the rows: the one that is selected, totals, or what was decided. */
const beside = useInAddress("beside");
const shape = useInAddress("show");
const { row: current, column: currentColumn, unfolded } = useSelected();
const inPicture = computed(() => pictured(trip.value.columns, currentColumn.value));
const confirming = ref(false);
watch(
  () => filters.shown,
  () => {
    current.value = 0;
  },
);

const window = useWindow(() => ({
  ...filters.shown,
  trip: trip.value.plan ? trip.value.id : 0,
  view: "review",
  version: `${trip.value.plan?.number ?? 0}`,
}));
const { columns, unchanged } = useArranged(trip, unfolded);
const row = computed(() => window.rowAt(current.value));
const { typed: cellTyped, pasted } = useCellEdits(() => filters.shown);
const hidden = computed(() => (trip.value.rows ?? 0) - window.total.value);
const grid = ref<{ go: (to: number) => void; type: () => boolean }>();
const harmed = computed(() => harmedCells(trip.value));
const unlooked = computed(() => trip.value.summary?.patterns_not_read.length ?? 0);
const off = computed(() => trip.value.expected.filter((one) => one.off).length);
const stale = computed(() => !!trip.value.plan && !trip.value.plan.current);
const stops = computed(() => trip.value.open.filter((item) => item.stops).length);
const canApply = computed(() => trip.value.to_write > 0 && !stale.value && !trip.value.job && !stops.value);
/** What the button does, or what comes before it: rows that wait for an answer are not "nothing to write". */
const applying = computed(() => {
  if (stops.value) return `Answer ${many(stops.value, "question", "questions")} first`;
  if (trip.value.to_write && unapproved(trip.value)) return "To its approval…";
  return trip.value.to_write ? `${sends("Apply", trip.value)}…` : "Nothing to write";
});
const router = useRouter();
const { planAgain, busy } = usePlanAgain();

function applyOrApproval(): void {
  if (unapproved(trip.value)) void router.push({ name: "trip", params: { id: trip.value.id, station: "apply" } });
  else confirming.value = true;
}
function allRows(): void {
  filters.clear();
  emit("choose", "");
}
/** Rows that wait for a person, one after the other and round again. */
function nextOpen(): void {
  if (state.value !== "not-in") {
    behind("not-in", "");
    return;
  }
  const next = current.value + 1;
  grid.value?.go(next < window.total.value ? next : 0);
}
useKeys("Review", [{ key: "N", says: "next open row", run: nextOpen }]);
function behind(chosen: string, code: string): void {
  filters.why = code;
  emit("choose", chosen);
}
</script>

<template>
  <Teleport defer to="#trip-actions">
    <MoveTrip />
    <DocumentMenu v-if="trip.plan" :trip="trip.id" />
    <BusyButton
      v-if="stale && mayPrepare"
      type="button"
      class="go"
      :busy="busy"
      :disabled="!!trip.job"
      data-testid="plan-again"
      @click="planAgain()"
    >
      {{ trip.sent_by && trip.outcomes.length ? "Look again at what is not in" : "Plan again" }}
    </BusyButton>
    <button
      v-else
      type="button"
      class="btn go"
      :disabled="!canApply || !(trip.application.may_apply || unapproved(trip))"
      data-testid="apply"
      @click="applyOrApproval()"
    >
      {{ applying }}
    </button>
  </Teleport>
  <ApplyDialog :open="confirming" @close="confirming = false" />
  <div class="work">
    <div class="main">
      <div class="tools">
        <button type="button" class="chip" :aria-pressed="!filters.filtered" @click="allRows">All rows</button>
        <ChoiceList
          v-model="filters.column"
          :options="filters.changes"
          label="Changed"
          as="pill"
          @update:model-value="filters.change = ''"
        />
        <ChoiceList
          v-if="filters.reasons.length > 1"
          v-model="filters.why"
          :options="filters.reasons"
          label="Reason"
          as="pill"
        />
        <input
          v-model="filters.typed"
          type="search"
          class="input !min-h-6 !w-28 !py-0 !text-data"
          placeholder="Text in a cell"
          aria-label="Rows with this text in a cell"
        />
        <ChoiceList v-model="filters.order" :options="filters.orders" label="Order" as="pill" />
        <FoldChip v-model="unfolded" :columns="unchanged" />
        <button
          type="button"
          class="chip"
          :aria-pressed="shape === 'whole'"
          @click="shape = shape === 'whole' ? '' : 'whole'"
        >
          As they came
        </button>
        <button
          type="button"
          class="chip"
          :aria-pressed="beside === 'decisions'"
          data-testid="decisions-chip"
          @click="beside = beside === 'decisions' ? '' : 'decisions'"
        >
          Decisions
        </button>
        <button
          type="button"
          class="chip"
          :aria-pressed="beside === 'totals'"
          data-testid="totals-chip"
          @click="beside = beside === 'totals' ? '' : 'totals'"
        >
          {{ off ? `Totals, ${count(off)} not as expected` : "Totals" }}
        </button>
        <RouterLink
          v-if="harmed"
          class="chip font-semibold text-held"
          :to="{ params: { id: trip.id, station: 'file' }, query: { beside: 'findings' } }"
          >{{ many(harmed, "cell looks", "cells look") }} damaged</RouterLink
        >
        <RouterLink
          v-if="unlooked"
          class="chip"
          :to="{ params: { id: trip.id, station: 'file' }, query: { beside: 'findings' } }"
          >{{ many(unlooked, "column", "columns") }} not looked at for damage</RouterLink
        >
        <span v-if="filters.filtered && !window.error.value && hidden > 0" class="soft w-full text-data"
          >{{ many(hidden, "row is", "rows are") }} hidden by the filter. What is applied does not change.</span
        >
      </div>
      <MovedFrom v-model="filters.moved" />
      <OpenList @choose="behind" />
      <DataGrid
        v-if="trip.plan"
        ref="grid"
        v-model:current="current"
        v-model:column="currentColumn"
        :window="window"
        :columns="columns"
        :whole-rows="shape === 'whole'"
        signs
        :why="!!filters.why || ['held', 'rejected', 'aside', 'refused', 'not-in'].includes(state)"
        :editable="mayPrepare ? () => true : undefined"
        label="Rows with old and new values"
        @edit="cellTyped"
        @paste="pasted"
      />
      <p v-else class="soft m-auto max-w-md text-center">
        There is nothing to review yet.
        {{ trip.rows == null ? "Bring the sheet in first." : "Choose how rows find their records at Keys." }}
      </p>
    </div>
    <SidePanel v-if="trip.plan && beside === 'totals'" label="Counts and totals">
      <h2>Counts and totals</h2>
      <TotalsCard beside="planned" />
      <FieldPicture v-if="inPicture" :column="inPicture" :change="filters.change" @filter="filters.changing" />
      <GroupsCard />
    </SidePanel>
    <SidePanel v-else-if="trip.plan && beside === 'decisions'" label="Decisions">
      <DecisionsCard v-model="filters.decided" />
    </SidePanel>
    <RowPanel
      v-else-if="trip.plan"
      :row="row"
      :ready="window.ready.value"
      :column="currentColumn"
      :below="window.total.value - current - 1"
      :shown="filters.shown"
      :change="filters.change"
      @filter="filters.changing"
      @next="grid?.go(current + 1)"
      @edit="grid?.type()"
    />
  </div>
</template>
