<script setup lang="ts">
import { computed } from "vue";

import { api, type Column, data, type Schemas } from "@/api/client";
import { jobDone, useCatalogue } from "@/api/queries";
import type { GridColumn } from "@/grid/columns";
import DataGrid from "@/grid/DataGrid.vue";
import { useWindow } from "@/grid/useWindow";
import { count, many } from "@/parts/format";
import ChoiceList from "@/ui/ChoiceList.vue";
import { useDoing } from "@/ui/doing";
import SidePanel from "@/ui/SidePanel.vue";

import { useTripContext } from "../context";
import EmptiedCells from "../review/EmptiedCells.vue";
import BlankRule from "./BlankRule.vue";
import { useSelected } from "@/ui/selected";

defineEmits<{ bring: []; choose: [string] }>();
const { trip, mayPrepare, refresh } = useTripContext();
const { data: catalogue } = useCatalogue(computed(() => trip.value.application.name));
const type = computed(() => catalogue.value?.types.find((t) => t.name === trip.value.record_type));
const window = useWindow(() => ({
  trip: trip.value.columns.length ? trip.value.id : 0,
  view: "file",
  state: "",
  column: "",
  text: "",
  order: "",
  version: String(trip.value.sheets.length),
}));
const { row: current, column: meant } = useSelected();
const column = computed({ get: () => Math.max(0, meant.value), set: (at) => (meant.value = at) });
const columns = computed<GridColumn[]>(() =>
  trip.value.columns.map((c, at) => ({
    at,
    key: c.column,
    title: c.header,
    sub: "",
    width: 176,
    dim: !c.carried && !c.is_key,
    field: c.field_name,
  })),
);
const chosen = computed(() => trip.value.columns[column.value]);
const field = computed(() => type.value?.all_fields.find((f) => f.name === chosen.value?.field_name));
const taken = computed(() => new Set(trip.value.columns.map((c) => c.field_name)));
const HOW: Record<string, string> = {
  stamp: "Known from the sheet's stamp.",
  name: "The header is the field's name.",
  label: "The header is the field's label.",
  said: "Chosen by hand.",
  contents: "The header is another, but most of what stands in it is what went out in this field.",
};
const finds = (c: Column | undefined): boolean => !!c && (c.is_key || c.field_name === type.value?.identifier);
const SHORT = { leave: "as it is", clear: "blank clears", default: "with a default" };
/** What becomes of a column's values, in a few words. */
function way(c: Column | undefined): string {
  if (finds(c)) return c?.carried ? "↑ finds the record, as it is" : "finds the record";
  if (c?.carried) return `↑ ${SHORT[c.lane.blank]}${c.lane.only_empty ? ", where empty" : ""}`;
  return c?.field_name ? "stops here, for reading" : "stops here";
}
const tone = (c: Column | undefined): "carried" | "read" | "open" =>
  c?.carried || finds(c) ? "carried" : c?.field_name ? "read" : "open";
const choices = (at: number) => [
  { value: "", label: "Not carried" },
  ...(type.value?.all_fields ?? []).map((f) => ({
    value: f.name,
    label: f.label,
    note: f.read_only ? "for reading" : f.is_key ? "key" : f.kind,
    disabled: taken.value.has(f.name) && f.name !== trip.value.columns[at]?.field_name,
  })),
];

interface Change {
  said?: Record<string, string>;
  lanes?: Record<string, Schemas["Lane"]>;
}
const choosing = useDoing(
  async (change: Change) => {
    const params = { path: { id: trip.value.id }, header: { "If-Match": `"${trip.value.version}"` } };
    const body = { ...change, operation: "" };
    const job = await data(api.PATCH("/api/trips/{id}/columns", { params, body }));
    await refresh();
    return jobDone(job.id);
  },
  { after: refresh },
);
const choose = (at: number, name: string): void => {
  choosing.start({ said: { [trip.value.columns[at]?.header ?? ""]: name } });
};
const rule = (lanes: Record<string, Schemas["Lane"]>): void => {
  choosing.start({ lanes });
};
/** Columns that have rules: those that are carried. */
/** The columns that a rule for blank cells can be told for: a blank in a key is rejected, whatever is told. */
const ruled = computed(() => trip.value.columns.filter((c) => c.carried && c.field_name && !finds(c)));
const ruleAll = (onlyEmpty: boolean): void => {
  const lanes: Record<string, Schemas["Lane"]> = {};
  for (const c of ruled.value) lanes[c.field_name ?? ""] = { ...c.lane, only_empty: onlyEmpty };
  rule(lanes);
};
</script>

<template>
  <div class="work">
    <div class="main">
      <div class="tools">
        <b>Columns flow up into fields</b
        ><span class="soft">choose where each goes; a column without a field is not carried</span>
        <span class="soft ml-auto"
          >{{ count(trip.columns.filter((c) => c.carried).length) }} of
          {{ many(trip.columns.length, "column", "columns") }} carried</span
        >
      </div>
      <DataGrid
        v-if="trip.columns.length"
        v-model:current="current"
        v-model:column="column"
        :window="window"
        :columns="columns"
        :head-height="118"
        label="Columns and their fields"
      >
        <template #head="{ column: { at } }">
          <ChoiceList
            class="mt-0.5"
            as="head"
            :model-value="trip.columns[at]?.field_name ?? ''"
            :options="choices(at)"
            :tone="tone(trip.columns[at])"
            :label="`Field of the column ${trip.columns[at]?.header}`"
            :disabled="choosing.busy.value || !mayPrepare || !!trip.job"
            @chosen="choose(at, $event)"
            @focusin="column = at"
          />
          <span
            class="block truncate text-center text-fine"
            :class="trip.columns[at]?.carried ? 'text-marine' : 'soft'"
            >{{ way(trip.columns[at]) }}</span
          >
          <span class="mono block truncate text-small">{{ trip.columns[at]?.header }}</span>
          <small>{{ count(trip.columns[at]?.filled) }} of {{ count(trip.rows) }} filled</small>
          <small>{{ many(trip.columns[at]?.different ?? 0, "value", "values") }}</small>
        </template>
      </DataGrid>
      <p v-else class="soft m-auto">No sheet has come in yet. Bring one in to match its columns.</p>
    </div>
    <SidePanel v-if="chosen" label="About the column">
      <h2>{{ chosen.header || "A column without a header" }} → {{ chosen.field_label ?? "nowhere" }}</h2>
      <p>
        {{
          chosen.field_name
            ? (HOW[chosen.how] ?? "")
            : "No field has this name. Choose one above, or leave the column out."
        }}
        {{ finds(chosen) ? "Its values find each row's record; they are not written unless it is carried too." : "" }}
      </p>
      <section v-if="field" class="card">
        <b>{{ field.label }}</b>
        <p>
          {{ field.kind }}{{ field.target ? ` to ${field.target}` : "" }}{{ field.required ? ", required" : ""
          }}{{ field.read_only ? ", for reading only: its cells are never carried back" : "" }}
        </p>
        <p v-if="field.help" class="mt-1">{{ field.help }}</p>
        <p v-if="field.choices.length" class="mono mt-1">{{ field.choices.join(" · ") }}</p>
      </section>
      <BlankRule
        v-if="ruled.includes(chosen)"
        :column="chosen"
        :others="ruled.filter((c) => c.lane.only_empty !== chosen?.lane.only_empty).length"
        :disabled="choosing.busy.value || !mayPrepare || !!trip.job"
        @change="rule({ [chosen.field_name ?? '']: $event })"
        @all="ruleAll"
      />
      <EmptiedCells v-if="chosen.emptied" :column="chosen" />
      <section v-if="chosen.unreadable" class="card">
        <b>{{ many(chosen.unreadable, "cell", "cells") }} cannot be read</b>
        <p>Their rows are rejected; Review says which and why.</p>
      </section>
    </SidePanel>
  </div>
</template>
