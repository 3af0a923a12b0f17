<script setup lang="ts">
import { useEventListener } from "@vueuse/core";
import { computed, ref, watch } from "vue";

import { api, type Column, data } from "@/api/client";
import { jobDone, useCatalogue, useMay } from "@/api/queries";
import DataGrid from "@/grid/DataGrid.vue";
import { useWindow } from "@/grid/useWindow";
import { count, many } from "@/parts/format";
import { useKeys } from "@/services/keys";
import SearchPart from "@/ui/SearchPart.vue";
import { useDoing } from "@/ui/doing";
import { useSelected } from "@/ui/selected";
import SidePanel from "@/ui/SidePanel.vue";

import { useTripContext } from "../context";
import KeepTripRoute from "../KeepTripRoute.vue";
import AskedBar from "./AskedBar.vue";
import AskedCard from "./AskedCard.vue";
import ColumnHead from "./ColumnHead.vue";
import { fieldOptions, freeFields, how, laneColumns, missingFields } from "./fields";
import LanePanel from "./LanePanel.vue";
import NewField from "./NewField.vue";
import { bareLane, type ColumnChange, type Lane, together } from "./lanes";

defineEmits<{ bring: []; choose: [string] }>();
const { trip, mayPrepare, refresh } = useTripContext();
const { data: catalogue } = useCatalogue(computed(() => trip.value.application.name));
const type = computed(() => catalogue.value?.types.find((t) => t.name === trip.value.record_type));
const mayConnect = useMay("connect");
const window = useWindow(() => ({
  trip: trip.value.columns.length ? trip.value.id : 0,
  view: "lanes",
  state: "",
  column: "",
  text: "",
  order: "",
  version: String(trip.value.version),
}));
const { row: current, column: meant } = useSelected();
const column = computed({
  get: () => Math.min(Math.max(0, meant.value), trip.value.columns.length - 1),
  set: (at) => {
    meant.value = at;
    adding.value = "";
  },
});
/** A field that is to come in without a column of its own name. */
const adding = ref("");
const columns = computed(() => laneColumns(trip.value.columns));
const chosen = computed(() => (adding.value ? undefined : trip.value.columns[column.value]));
const field = computed(() => type.value?.all_fields.find((f) => f.name === (adding.value || chosen.value?.field)));
/** The first values of the chosen column, as far as they were looked at. */
const seen = computed(() =>
  Array.from(
    { length: Math.min(300, window.total.value) },
    (_, at) => window.rowAt(at)?.cells[column.value]?.text ?? "",
  ),
);
const finds = (c: Column | undefined): boolean => !!c && (c.is_key || c.field === type.value?.identifier);
/** What whoever changes the column's field should know. */
const warnings = computed(() => {
  const { carried, changed = 0 } = chosen.value ?? {};
  const rows = changed ? ` (${many(changed, "row", "rows")} of this sheet)` : "";
  const ofField = field.value?.warning && (carried || adding.value) ? [`${field.value.warning}${rows}`] : [];
  return type.value?.warning ? [...ofField, `${type.value.plural}: ${type.value.warning}`] : ofField;
});
/** Record IDs find records as they are: nothing is done to them on the way. */
const laned = computed(() => {
  const { carried, check } = chosen.value ?? {};
  return !!adding.value || carried || check || (finds(chosen.value) && !field.value?.read_only);
});
const choosing = useDoing(
  async (change: Partial<ColumnChange>) => {
    const params = { path: { id: trip.value.id }, header: { "If-Match": `"${trip.value.version}"` } };
    const body = { ...change, operation: "" };
    const job = await data(api.PATCH("/api/trips/{id}/columns", { params, body }));
    await refresh();
    return jobDone(job.id);
  },
  {
    after: () => {
      const at = trip.value.columns.findIndex((c) => c.field === adding.value);
      if (at >= 0) column.value = at;
      void refresh();
    },
  },
);
const busy = computed(() => choosing.busy.value || !!trip.value.job);
function choose(at: number, name: string): void {
  const c = trip.value.columns[at];
  if (!c) return;
  // A field that is only for reading can be checked.
  const checked = fields.value.find((f) => f.name === name)?.read_only;
  const lanes = checked ? { [name]: { ...bareLane(undefined), check: true } } : undefined;
  choosing.start({ columns: { [c.header]: name }, ...(lanes ? { lanes } : {}) });
}
/** The columns that a rule for blank cells can be told for: a blank in a key is rejected, whatever is told. */
const ruled = computed(() => trip.value.columns.filter((c) => c.carried && c.field && !finds(c)));
const ruleAll = (onlyEmpty: boolean): void => {
  const ruledLanes = ruled.value.map((c) => [c.field, { ...bareLane(c.lane), only_empty: onlyEmpty }] as const);
  choosing.start({ lanes: Object.fromEntries(ruledLanes) as Record<string, Lane> });
};
const fields = computed(() => type.value?.all_fields ?? []);
const free = computed(() => freeFields(fields.value, trip.value));
const missing = computed(() => missingFields(fields.value, trip.value));
/** The list of the meant column's fields is called for. */
const called = ref(false);
const call = (wanted: boolean) => (): void => {
  called.value = wanted;
};
watch(column, call(false));
// Whoever goes on elsewhere meanwhile is not called back; the grid itself is where the call came from.
useEventListener(document, "focusin", ({ target }) => {
  if (!(target instanceof Element) || target.role !== "grid") called.value = false;
});
const lane = ref<{ treat: () => void }>();
useKeys("Columns", [
  { key: "Enter", says: "choose the field", run: call(true) },
  { key: "T", says: "treat the values", run: () => lane.value?.treat() },
  {
    key: "N",
    says: "do not carry",
    run: () => {
      const c = chosen.value;
      if (c && !c.extra && mayPrepare.value && !busy.value) choose(column.value, "");
    },
  },
]);
</script>

<template>
  <div class="work">
    <div class="main">
      <div class="tools">
        <b>Columns flow up into fields</b
        ><span class="soft">choose a field to change where a column goes, a column to clean it</span>
        <span v-if="mayPrepare && free.length" class="ml-auto flex items-center gap-1.5"
          ><span class="soft">+ another field:</span
          ><SearchPart
            model-value=""
            clears
            label="Another field, with a fixed value or from another column"
            empty="which?"
            :options="free"
            @chosen="adding = $event"
        /></span>
        <span class="soft" :class="{ 'ml-auto': !mayPrepare || !free.length }"
          >{{ count(trip.columns.filter((c) => c.carried).length) }} of
          {{ many(trip.columns.length, "column", "columns") }} carried</span
        >
      </div>
      <AskedBar
        v-if="trip.columns.length"
        :missing="missing"
        :disabled="busy || !mayPrepare"
        @answer="choosing.start(together($event))"
        @look="column = $event"
        @add="adding = $event"
      />
      <DataGrid
        v-if="trip.columns.length"
        v-model:current="current"
        v-model:column="column"
        :window="window"
        :columns="columns"
        :head-height="118"
        label="Columns and their fields"
        @open="called = true"
      >
        <template #head="{ column: { at } }">
          <ColumnHead
            v-if="trip.columns[at]"
            :column="trip.columns[at]"
            :options="fieldOptions(fields, trip, trip.columns[at])"
            :label="`Field of the column ${trip.columns[at].header}`"
            :finds="finds(trip.columns[at])"
            :rows="trip.rows ?? 0"
            :disabled="busy || !mayPrepare"
            :called="called && at === column"
            @chosen="choose(at, $event)"
            @meant="column = at"
            @came="called = false"
          />
        </template>
      </DataGrid>
      <p v-else class="soft m-auto">No sheet has come in yet. Bring one in to match its columns.</p>
    </div>
    <SidePanel v-if="chosen || adding" label="About the column">
      <h2>
        <template v-if="chosen"
          >{{ chosen.how === "fixed" ? "Every row" : chosen.header || "A column without a header" }} →
          {{ chosen.label ?? "nowhere" }}</template
        ><template v-else>{{ field?.label }}: where from?</template>
      </h2>
      <p v-if="chosen" class="soft text-small">
        {{ how(chosen) }}
        {{ finds(chosen) ? "Its values find each row's record; they are not written unless it is carried too." : "" }}
        <template v-if="field"
          >{{ field.label }}: {{ field.kind }}{{ field.target ? ` to ${field.target}` : ""
          }}{{ field.required ? ", required" : "" }}{{ field.create_only ? ", set only when a record is made" : "" }}.
          {{ field.help }}</template
        >
      </p>
      <p v-for="text in warnings" :key="text" class="card bg-held-tint text-held" data-testid="warning">{{ text }}</p>
      <LanePanel
        v-if="field && laned"
        ref="lane"
        :key="field.name"
        :column="chosen"
        :field="field"
        :finds="finds(chosen)"
        :others="ruled.filter((c) => c.lane?.only_empty !== chosen?.lane?.only_empty).length"
        :busy="busy"
        :adds-choices="mayConnect && !!catalogue?.adds_choices"
        @change="choosing.start($event)"
        @all="ruleAll"
      />
      <template v-else-if="chosen">
        <AskedCard
          v-for="question in chosen.questions"
          :key="question.says"
          :question="question"
          :disabled="busy || !mayPrepare"
          @answer="choosing.start(together([$event]))"
        />
        <NewField
          v-if="chosen.open && mayConnect && catalogue?.adds_fields && !busy"
          :column="chosen"
          :values="seen"
          @added="choose(column, $event)"
        />
      </template>
      <section v-if="chosen?.unreadable" class="card">
        <b>{{ many(chosen.unreadable, "cell", "cells") }} cannot be read</b>
        <p>Their rows are rejected; Review says which and why.</p>
      </section>
    </SidePanel>
    <Teleport to="#trip-actions">
      <KeepTripRoute v-if="mayPrepare && trip.columns.length" />
      <RouterLink class="btn go" :to="{ name: 'trip', params: { id: trip.id, station: 'keys' } }"
        >Match rows</RouterLink
      >
    </Teleport>
  </div>
</template>
