<script setup lang="ts">
import { computed, ref } from "vue";

import { bring } from "@/shell/bringing";
import type { GridColumn } from "@/grid/columns";
import DataGrid from "@/grid/DataGrid.vue";
import { useWindow } from "@/grid/useWindow";
import { count, fullTime, many } from "@/parts/format";

import SidePanel from "@/ui/SidePanel.vue";

import { useTripContext } from "../context";
import { useSelected } from "@/ui/selected";

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
  version: String(sheet.value?.id),
}));
const { row: current, column } = useSelected();
const columns = computed<GridColumn[]>(() =>
  trip.value.columns.map((c, at) => ({
    at,
    key: c.column,
    title: c.header || "no header",
    sub: `${count(c.filled)} of ${count(trip.value.rows)} filled · ${many(c.different, "value", "values")}`,
  })),
);
const DELIMITERS: Record<string, string> = { ",": "comma", ";": "semicolon", "\t": "tab", "|": "bar" };
const findings = computed(() => {
  const found = sheet.value?.found ?? {};
  const delimiter = found.delimiter ?? "";
  const lines: [string, string][] = [
    ["Format", (found.format ?? "").toUpperCase()],
    ["Sheet", found.sheet ?? ""],
    ["Encoding", found.encoding ?? ""],
    ["Delimiter", DELIMITERS[delimiter] ?? delimiter],
    ["Header", `row ${found.header_row ?? 1}`],
    ["Rows read", count(sheet.value?.rows)],
    ["Blank rows", found.blank_rows ? count(found.blank_rows) : ""],
    ["Total row", found.total_rows?.length ? `row ${found.total_rows.join(", ")}, not read` : ""],
    ["Other sheets", found.other_sheets?.join(", ") ?? ""],
  ];
  return lines.filter(([, value]) => value);
});
const noticed = computed(() => sheet.value?.found.findings ?? []);
const chooser = ref<HTMLInputElement>();
function chose(event: Event): void {
  const file = event.target instanceof HTMLInputElement ? event.target.files?.[0] : undefined;
  if (file) void bring(file, trip.value);
}
</script>

<template>
  <div class="work">
    <div class="main">
      <DataGrid
        v-if="sheet"
        v-model:current="current"
        v-model:column="column"
        :window="window"
        :columns="columns"
        label="The sheet as it came"
      />
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
    <SidePanel label="About the file">
      <template v-if="sheet">
        <h2>What was found</h2>
        <section class="card">
          <dl class="grid grid-cols-[100px_minmax(0,1fr)] gap-y-1 text-small">
            <template v-for="[name, value] in findings" :key="name"
              ><dt class="soft">{{ name }}</dt>
              <dd class="mono break-words">{{ value }}</dd></template
            >
          </dl>
        </section>
        <section v-if="noticed.length" class="card" data-testid="findings">
          <b>{{ many(noticed.length, "thing", "things") }} to know</b>
          <ul class="mt-1 grid gap-1.5 text-small">
            <li v-for="one in noticed" :key="one.text" class="border-l-3 border-held pl-2">{{ one.text }}</li>
          </ul>
        </section>
        <section class="card">
          <b>{{ sheet.recognised ? "Recognised" : "From elsewhere" }}</b>
          <p>
            {{
              sheet.recognised
                ? "This sheet was sent out on this trip, so each cell is compared with what went out."
                : "This sheet was not sent out from here. It is compared with the application as it is now."
            }}
          </p>
          <p class="mt-1">{{ sheet.added_by.name }}, {{ fullTime(sheet.added_at) }}</p>
        </section>
        <a class="btn" :href="`/api/trips/${trip.id}/sheets/${sheet.id}`" download>Download {{ sheet.name }}</a>
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
        <section v-for="one in sent" :key="one.id" class="card">
          <b class="break-words">{{ one.name }}</b>
          <p>{{ many(one.rows ?? 0, "record", "records") }} · {{ one.added_by.name }}, {{ fullTime(one.added_at) }}</p>
          <a class="btn sm mt-2" :href="`/api/trips/${trip.id}/sheets/${one.id}`" download>Download the sheet</a>
        </section>
        <section class="card">
          <b>Kept here too</b>
          <p>A copy of the records stays with the trip. It tells your edits from other people's.</p>
        </section>
      </template>
    </SidePanel>
  </div>
</template>
