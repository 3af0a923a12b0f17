<script setup lang="ts">
import { Menu, MenuButton, MenuItem, MenuItems } from "@headlessui/vue";
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";

import { api, data } from "@/api/client";
import { jobEnded } from "@/api/queries";
import DataGrid from "@/grid/DataGrid.vue";
import { useWindow } from "@/grid/useWindow";
import { count, many } from "@/parts/format";
import VerdictSign from "@/parts/VerdictSign.vue";
import { sayError } from "@/shell/notices";

import { useGridColumns, useTripContext } from "../context";
import RowPanel from "../review/RowPanel.vue";

const state = defineModel<string>("state", { default: "" });
const emit = defineEmits<{ bring: []; choose: [string] }>();
const router = useRouter();
const { trip, mayPrepare, refresh } = useTripContext();
const current = ref(0);
const currentColumn = ref(-1);
const busy = ref(false);
watch(state, () => (current.value = 0));
const window = useWindow(() => ({
  trip: trip.value.plan && trip.value.runs.length ? trip.value.id : 0,
  view: "outcome",
  state: state.value,
  column: "",
  text: "",
  version: `${trip.value.plan} ${trip.value.runs.map((run) => run.state).join()}`,
}));
const columns = useGridColumns(trip);
const row = computed(() => window.rowAt(current.value));
const notIn = computed(() => trip.value.reasons.reduce((sum, one) => sum + one.count, 0));
const run = computed(() => [...trip.value.runs].reverse().find((one) => one.read_back));
const back = computed(
  () =>
    run.value?.read_back as { records: number; as_sent: number; lost: number[]; differences: unknown[] } | undefined,
);
const DOWNLOADS = [
  { says: "Receipt, XLSX", what: "receipt.xlsx" },
  { says: "Receipt, CSV", what: "receipt.csv" },
  { says: "Rows not in, XLSX", what: "not-in.xlsx" },
  { says: "Rows not in, CSV", what: "not-in.csv" },
];
const grid = ref<InstanceType<typeof DataGrid>>();

async function again(): Promise<void> {
  busy.value = true;
  try {
    const asked = await data(api.POST("/api/trips/{id}/plan", { params: { path: { id: trip.value.id } } }));
    const job = await jobEnded(asked.id);
    await refresh();
    if (job.state !== "done") throw new Error(job.error || job.message);
    await router.push({ name: "trip", params: { id: trip.value.id, station: "review" } });
  } catch (error) {
    sayError(error);
  } finally {
    busy.value = false;
  }
}
function show(reason: { state: string; first: number }): void {
  emit("choose", reason.state);
}
</script>

<template>
  <Teleport defer to="#trip-actions">
    <Menu v-if="run" as="div" class="relative">
      <MenuButton class="btn">Download…</MenuButton>
      <MenuItems
        class="absolute right-0 z-40 mt-1 w-56 rounded-lg border border-rule bg-panel p-1 shadow-xl focus:outline-none"
      >
        <MenuItem v-for="one in DOWNLOADS" :key="one.what" v-slot="{ active }">
          <a
            class="block rounded px-3 py-1.5"
            :class="{ 'bg-marine-tint': active }"
            :href="`/api/trips/${trip.id}/files/${one.what}`"
            download
            >{{ one.says }}</a
          >
        </MenuItem>
      </MenuItems>
    </Menu>
    <button
      v-if="run && mayPrepare && notIn"
      type="button"
      class="btn go"
      :disabled="busy || !!trip.job"
      @click="again"
    >
      Look again at what is not in
    </button>
  </Teleport>
  <div v-if="run" class="work">
    <div class="main">
      <div class="tools">
        <b>{{ notIn ? `${many(notIn, "row is", "rows are")} not in.` : "Every row is in or had nothing to write." }}</b>
        <a
          v-if="notIn"
          class="font-semibold text-marine underline"
          :href="`/api/trips/${trip.id}/files/not-in.xlsx`"
          download
          >Download them as a sheet</a
        >
        <span v-if="notIn" class="soft">with the reason beside each, to fix and drop here again</span>
      </div>
      <div v-if="trip.reasons.length" class="max-h-[112px] flex-none overflow-auto border-b border-rule bg-paper">
        <button
          v-for="one in trip.reasons"
          :key="one.state + one.reason"
          type="button"
          class="flex w-full items-center gap-2 border-b border-rule px-3 py-1 text-left text-[13px] last:border-0 hover:bg-marine-tint"
          @click="show(one)"
        >
          <VerdictSign :verdict="one.state" /><b>{{ one.reason }}</b
          ><span class="soft ml-auto whitespace-nowrap"
            >{{ one.state === "refused" ? "the application refused" : one.state }}
            {{ many(one.count, "row", "rows") }}</span
          >
        </button>
      </div>
      <DataGrid
        ref="grid"
        v-model:current="current"
        v-model:column="currentColumn"
        :window="window"
        :columns="columns"
        signs
        :why="['refused', 'rejected', 'held', 'aside', 'unclear'].includes(state)"
        label="What became of each row"
      />
    </div>
    <RowPanel :row="row" :column="currentColumn" :rows-of="state" @next="grid?.go(current + 1)" />
  </div>
  <div v-else class="work">
    <p class="soft m-auto max-w-md text-center">
      Nothing of this trip has been written yet. Once rows are applied, this shows what became of each: created,
      updated, deleted or refused, read back from the application.
    </p>
  </div>
  <p
    v-if="back && (back.differences.length || back.lost.length)"
    class="flex-none bg-held-tint px-4 py-1 font-semibold text-held"
    role="alert"
  >
    Read back: {{ many(back.differences.length + back.lost.length, "value is", "values are") }} not as sent; the receipt
    names them ({{ count(back.as_sent) }} of {{ count(back.records) }} records are).
  </p>
</template>
