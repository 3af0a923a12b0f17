<script setup lang="ts">
import { computed, ref, watch } from "vue";

import DataGrid from "@/grid/DataGrid.vue";
import { useWindow } from "@/grid/useWindow";
import { count, exact, many } from "@/parts/format";
import { say } from "@/services/notices";
import BusyButton from "@/ui/BusyButton.vue";

import { pictured, useArranged } from "../columns";
import type { Row } from "@/api/client";
import SidePanel from "@/ui/SidePanel.vue";

import ApplyDialog from "../apply/ApplyDialog.vue";
import PassesTable from "../apply/PassesTable.vue";
import { useTripContext } from "../context";
import { withPart } from "@/api/part";
import { blockOf, useCellEdits } from "../edit/editing";
import FieldPicture from "../pictures/FieldPicture.vue";
import GroupsCard from "../totals/GroupsCard.vue";
import TotalsCard from "../totals/TotalsCard.vue";
import FoldChip from "../FoldChip.vue";
import { usePlanAgain } from "../planning";
import { useSelected } from "@/ui/selected";
import { allPasses } from "./allPasses";
import DownloadMenu from "./DownloadMenu.vue";
import NotInGroups from "./NotInGroups.vue";
import ReadBack from "./ReadBack.vue";
import TakeBack from "./TakeBack.vue";
import RowPanel from "../rows/RowPanel.vue";

const state = defineModel<string>("state", { default: "" });
defineEmits<{ bring: []; choose: [string] }>();
const { trip, mayPrepare } = useTripContext();
const { planAgain, busy } = usePlanAgain();
const run = computed(() => trip.value.passes.findLast((one) => one.totals));
const { row: current, column: currentColumn, unfolded } = useSelected();
/** The reason whose rows are shown alone, and the state that they are in. */
const chosen = ref({ state: "", reason: "" });
const reason = computed(() => (chosen.value.state === state.value ? chosen.value.reason : ""));
watch([state, reason], () => {
  current.value = 0;
});
const window = useWindow(() => ({
  trip: run.value ? trip.value.id : 0,
  view: "outcome",
  state: state.value,
  column: "",
  text: "",
  order: "",
  reason: reason.value,
  version: `${trip.value.passes.map((one) => `${one.number} ${one.state}`).join()} ${trip.value.version}`,
}));
const { columns, unchanged } = useArranged(trip, unfolded);
const row = computed(() => window.rowAt(current.value));
const inPicture = computed(() => pictured(trip.value.columns, currentColumn.value));
const totals = ref(false);
const confirming = ref(false);
/** Rows that were put right since, and are planned again. */
const again = computed(() => (trip.value.plan?.current && !trip.value.sent_by ? trip.value.to_write : 0));
const { typed } = useCellEdits();
/** A block goes into the rows of the sheet from this one on, whichever are shown here: only one cell is taken. */
function pasted(line: Row, at: number, text: string): void {
  const block = blockOf(text);
  if (block.length === 1 && block[0]?.length === 1) typed(line, at, block[0][0] ?? "");
  else say("A block is pasted at Review or File, where all rows of the sheet stand.");
}
const notIn = computed(() => trip.value.outcomes.reduce((sum, one) => sum + one.count, trip.value.outcomes_left));
const back = computed(() => run.value?.report);
const together = computed(() => allPasses(trip.value.passes));
const kept = computed(() => together.value?.selection ?? together.value?.type);
const others = computed(() => kept.value?.others ?? 0);
/** Of which pass it is told, where there are several. */
const ofPass = computed(() => (trip.value.passes.length > 1 ? `, pass ${run.value?.number}` : ""));
/** What else the application says: its own doings, warnings, records before and after. */
const told = computed(() => {
  const own = back.value;
  if (!own) return [];
  const byItself = own.counts?.by_itself ?? own.by_itself.length;
  const set = Object.entries(own.set).map(([name, rows]) => `${name} in ${count(rows)}`);
  return [
    own.warnings && `${many(own.warnings, "row was", "rows were")} taken with a warning`,
    byItself && `the application changed ${many(byItself, "value", "values")} by itself; the receipt names them`,
    set.length && `it filled by itself: ${set.join(", ")}`,
    kept.value &&
      `${together.value?.selection ? "records of the selection" : "records"}: ${count(kept.value.before)} + ${count(kept.value.created)} created − ${count(kept.value.deleted)} deleted${kept.value.moved ? ` − ${count(-kept.value.moved)} moved out` : ""} = ${count(kept.value.after - others.value)}, there are ${count(kept.value.after)}${others.value ? `, so others changed ${count(Math.abs(others.value))}` : ""}`,
    ...Object.entries(own.totals)
      .filter(([, sums]) => moved(sums))
      .map(
        ([name, sums]) =>
          `Σ ${label(name)} of the rows written or the same${ofPass.value}: planned ${exact(sums.planned)}, before ${exact(sums.before)}, now ${exact(sums.after)}`,
      ),
    ...Object.entries(together.value?.selection?.totals ?? {})
      .filter(([, sums]) => sums.before !== sums.after)
      .map(
        ([name, sums]) =>
          `Σ ${label(name)} of the whole selection: before ${exact(sums.before)}, now ${exact(sums.after)}`,
      ),
  ].filter((one): one is string => !!one);
});
/** A sum that was to change, or that is not what it was to be. */
const moved = (sums: { planned: string; before: string; after: string | null }): boolean =>
  sums.before !== sums.planned || (sums.after !== null && sums.after !== sums.planned);
const label = (name: string): string => trip.value.columns.find((c) => c.field === name)?.label ?? name;
const grid = ref<{ go: (to: number) => void }>();
</script>

<template>
  <Teleport defer to="#trip-actions">
    <DownloadMenu v-if="run" />
    <TakeBack v-if="run" />
    <button
      v-if="run && again"
      type="button"
      class="btn go"
      data-testid="send-again"
      :disabled="!trip.application.may_apply || !!trip.job"
      @click="confirming = true"
    >
      Send {{ many(again, "fixed row", "fixed rows") }} again…
    </button>
    <BusyButton
      v-if="run && mayPrepare && notIn && trip.sent_by"
      type="button"
      class="go"
      :busy="busy"
      :disabled="!!trip.job"
      @click="planAgain()"
    >
      Look again at what is not in
    </BusyButton>
  </Teleport>
  <ApplyDialog :open="confirming" @close="confirming = false" />
  <div v-if="run" class="work">
    <div class="main">
      <div class="tools">
        <b v-if="run.state === 'stopped' && run.reason" class="w-full text-held">{{ run.reason }}</b>
        <b>{{ notIn ? `${many(notIn, "row is", "rows are")} not in.` : "Every row is in or had nothing to write." }}</b>
        <a
          v-if="notIn"
          class="font-semibold text-marine underline"
          :href="withPart(`/api/trips/${trip.id}/files/not-in.xlsx`)"
          download
          >Download them as a sheet</a
        >
        <span v-if="notIn" class="soft">with the reason beside each, to fix and drop here again</span>
        <span class="ml-auto flex gap-2">
          <button
            v-if="notIn"
            type="button"
            class="chip"
            :aria-pressed="state === 'not-in'"
            @click="$emit('choose', 'not-in')"
          >
            Not in {{ count(notIn) }}
          </button>
          <button type="button" class="chip" :aria-pressed="!state" @click="$emit('choose', '')">All rows</button>
          <FoldChip v-model="unfolded" :columns="unchanged" />
          <button type="button" class="chip" :aria-pressed="totals" data-testid="totals-chip" @click="totals = !totals">
            Totals
          </button>
        </span>
      </div>
      <NotInGroups v-if="trip.outcomes.length" v-model="chosen" @choose="$emit('choose', $event)" />
      <div
        v-if="trip.passes.length > 1"
        class="max-h-[132px] flex-none overflow-auto border-b border-rule bg-paper px-3 py-1.5 text-small"
        tabindex="0"
        role="region"
        aria-label="Pass by pass"
      >
        <PassesTable />
      </div>
      <DataGrid
        ref="grid"
        v-model:current="current"
        v-model:column="currentColumn"
        :window="window"
        :columns="columns"
        signs
        :why="['not-in', 'refused', 'rejected', 'held', 'aside', 'unclear'].includes(state)"
        :editable="mayPrepare ? () => true : undefined"
        label="What became of each row"
        @edit="typed"
        @paste="pasted"
      />
    </div>
    <SidePanel v-if="totals" label="Counts and totals">
      <h2>Counts and totals</h2>
      <TotalsCard beside="written" />
      <FieldPicture v-if="inPicture" :column="inPicture" written />
      <GroupsCard />
    </SidePanel>
    <RowPanel
      v-else
      :row="row"
      :ready="window.ready.value"
      :column="currentColumn"
      written
      @next="grid?.go(current + 1)"
    />
  </div>
  <div v-else class="work">
    <p class="soft m-auto max-w-md text-center">
      Nothing of this trip has been written yet. Once rows are applied, this shows what became of each: created,
      updated, deleted or refused, read back from the application.
    </p>
  </div>
  <ul
    v-if="back && told.length"
    class="flex flex-none flex-wrap gap-x-4 border-t border-rule bg-paper px-4 py-1 text-small"
    aria-label="What else the application says"
  >
    <li v-for="one in told" :key="one">{{ one }}</li>
  </ul>
  <ReadBack v-if="back" :key="run?.number" :report="back" :label="label" />
</template>
