<script setup lang="ts">
import { computed, ref } from "vue";

import { api, data } from "@/api/client";
import { jobEnded, useCatalogue } from "@/api/queries";
import DataGrid, { type GridColumn } from "@/grid/DataGrid.vue";
import { useWindow } from "@/grid/useWindow";
import { count, many } from "@/parts/format";
import { sayError } from "@/shell/notices";

import { useTripContext } from "../context";

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
  version: String(trip.value.sheets.length),
}));
const current = ref(0);
const column = ref(0);
const busy = ref(false);
const columns = computed<GridColumn[]>(() =>
  trip.value.columns.map((c) => ({
    key: c.column,
    title: c.header,
    sub: "",
    width: 176,
    dim: !c.carried && !c.is_key,
    field: c.field_name,
  })),
);
const chosen = computed(() => trip.value.columns[Math.max(0, column.value)]);
const field = computed(() => type.value?.all_fields.find((f) => f.name === chosen.value?.field_name));
const taken = computed(() => new Set(trip.value.columns.map((c) => c.field_name)));
const HOW: Record<string, string> = {
  stamp: "Known from the sheet's stamp.",
  name: "The header is the field's name.",
  label: "The header is the field's label.",
  said: "Chosen by hand.",
};

async function choose(at: number, name: string): Promise<void> {
  const header = trip.value.columns[at]?.header;
  if (header === undefined) return;
  busy.value = true;
  try {
    const params = { path: { id: trip.value.id }, header: { "If-Match": `"${trip.value.version}"` } };
    const job = await data(
      api.PATCH("/api/trips/{id}/columns", {
        params: params as never,
        headers: params.header,
        body: { said: { [header]: name }, operation: "" },
      }),
    );
    await refresh();
    const ended = await jobEnded(job.id);
    if (ended.state !== "done") throw new Error(ended.error || ended.message);
  } catch (error) {
    sayError(error);
  } finally {
    busy.value = false;
    await refresh();
  }
}
const share = (filled: number): string => `${(100 * filled) / Math.max(1, trip.value.rows ?? 1)}%`;
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
        <template #head="{ at }">
          <select
            class="mt-0.5 w-full truncate rounded-md border px-1.5 py-1 text-[13px] font-semibold"
            :class="
              trip.columns[at]?.carried
                ? 'border-marine bg-panel'
                : trip.columns[at]?.field_name
                  ? 'border-rule-strong bg-sunk text-ink-soft'
                  : 'border-dashed border-held bg-panel text-held'
            "
            :value="trip.columns[at]?.field_name ?? ''"
            :aria-label="`Field of the column ${trip.columns[at]?.header}`"
            :disabled="busy || !mayPrepare || !!trip.job"
            @change="choose(at, ($event.target as HTMLSelectElement).value)"
            @focus="column = at"
          >
            <option value="">Not carried</option>
            <option
              v-for="f in type?.all_fields"
              :key="f.name"
              :value="f.name"
              :disabled="taken.has(f.name) && f.name !== trip.columns[at]?.field_name"
            >
              {{ f.label }}{{ f.read_only ? " (for reading)" : "" }}
            </option>
          </select>
          <span class="block text-center text-[12px] text-marine" aria-hidden="true">{{
            trip.columns[at]?.carried ? "↑ as it is" : "· stops here"
          }}</span>
          <span class="mono block truncate text-[13px]">{{ trip.columns[at]?.header }}</span>
          <small
            >{{ count(trip.columns[at]?.filled) }} filled ·
            {{ many(trip.columns[at]?.different ?? 0, "value", "values") }}</small
          >
          <span class="mt-1 block h-1 rounded bg-rule" aria-hidden="true"
            ><span class="block h-1 rounded bg-marine" :style="{ width: share(trip.columns[at]?.filled ?? 0) }"
          /></span>
        </template>
      </DataGrid>
      <p v-else class="soft m-auto">No sheet has come in yet. Bring one in to match its columns.</p>
    </div>
    <aside v-if="chosen" class="side" aria-label="About the column">
      <h2>{{ chosen.header || "A column without a header" }} → {{ chosen.field_label ?? "nowhere" }}</h2>
      <p>
        {{
          chosen.field_name
            ? (HOW[chosen.how] ?? "")
            : "No field has this name. Choose one above, or leave the column out."
        }}
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
      <section class="card">
        <b>When a cell is blank</b>
        <p>
          The record is left as it is.{{
            trip.sheets.at(-1)?.recognised ? " A cell with [clear] empties the field." : ""
          }}
        </p>
        <p v-if="chosen.emptied" class="mt-1 font-semibold !text-held">
          {{ many(chosen.emptied, "cell was", "cells were") }} emptied in the sheet and
          {{ chosen.emptied === 1 ? "is" : "are" }} left as they are.
        </p>
      </section>
      <section v-if="chosen.unreadable" class="card">
        <b>{{ many(chosen.unreadable, "cell", "cells") }} cannot be read</b>
        <p>Their rows are rejected; Review says which and why.</p>
      </section>
    </aside>
  </div>
</template>
