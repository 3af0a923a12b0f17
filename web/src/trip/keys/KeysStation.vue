<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";

import { api, data } from "@/api/client";
import { jobDone, useCatalogue } from "@/api/queries";
import { OPERATIONS } from "@/parts/operations";
import { count, fullTime } from "@/parts/format";
import AlertNote from "@/ui/AlertNote.vue";
import BusyButton from "@/ui/BusyButton.vue";
import ChoiceList from "@/ui/ChoiceList.vue";
import { useDoing } from "@/ui/doing";
import SearchPart from "@/ui/SearchPart.vue";
import SidePanel from "@/ui/SidePanel.vue";

import AbsentCard from "../absent/AbsentCard.vue";
import AbsentList from "../absent/AbsentList.vue";
import { useTripContext } from "../context";
import KeyLists from "./KeyLists.vue";
import KeyRows from "./KeyRows.vue";
import KeyTable from "./KeyTable.vue";
import { type Finds, useMeasuredKeys } from "./measured";
import ReachPart from "./ReachPart.vue";

const MEANS: Record<string, string> = {
  update: "A row whose key is not found is rejected.",
  upsert: "A row whose key is not found becomes a new record.",
  create: "A row whose record exists is set aside.",
  delete: "Each row's record is deleted; its cells are not compared.",
  "create-unmatched": "No record is looked for. A row that is like one, or like a row before it, asks.",
  "make-same": "What the sheet has is created or updated; what it lacks, within reach, is deleted once you say so.",
};
defineEmits<{ bring: []; choose: [string] }>();
const router = useRouter();
const { trip, mayPrepare, refresh } = useTripContext();
const { data: catalogue } = useCatalogue(computed(() => trip.value.application.name));
const type = computed(() => catalogue.value?.types.find((t) => t.name === trip.value.record_type));
const operation = ref(trip.value.operation);
const used = computed(() => (trip.value.summary?.key ?? trip.value.key).join("+"));
const key = ref(used.value);
watch(used, (now) => (key.value = now));
/** Rows that no key is to match. */
const unmatched = computed(() => operation.value === "create-unmatched");
const label = (name: string): string => type.value?.all_fields.find((f) => f.name === name)?.label ?? name;
const { measured, measure, busy: measuring } = useMeasuredKeys();
const looked = ref<{ fields: string[]; finds: Finds } | null>(null);
watch(
  () => trip.value.version,
  () => (looked.value = null),
);
/** Fields that a person puts together to a key that does not suggest itself. */
const together = ref<string[]>([]);
const carried = computed(() =>
  trip.value.columns
    .filter((column) => column.field && column.kind !== "choices" && !together.value.includes(column.field))
    .map((column) => ({ value: column.field ?? "", label: column.label ?? column.header })),
);
const measureThem = (): void => {
  measure([together.value]);
  together.value = [];
};
const ignores = ref<string[]>([...trip.value.ignores]);
watch(
  () => trip.value.ignores,
  (now) => (ignores.value = [...now]),
);
const reach = ref(trip.value.reach);
watch(
  () => trip.value.reach,
  (now) => (reach.value = now),
);
const reaching = ref(false);
const IGNORED = [
  { value: "capitals", says: "capitals: a-1 is A-1" },
  { value: "accents", says: "accents: e is é" },
];
const compared = computed(() => [...ignores.value].sort().join() === [...trip.value.ignores].sort().join());
const changed = computed(
  () =>
    key.value !== used.value ||
    operation.value !== trip.value.operation ||
    reach.value.trim() !== trip.value.reach ||
    !compared.value,
);
const { start, busy } = useDoing(
  async () => {
    const params = { path: { id: trip.value.id }, header: { "If-Match": `"${trip.value.version}"` } };
    const body = {
      ...(unmatched.value ? {} : { key: key.value.split("+") }),
      operation: operation.value,
      reach: reach.value.trim(),
      ignores: ignores.value as ("capitals" | "accents")[],
    };
    const asked = await data(api.PATCH("/api/trips/{id}/columns", { params, body }));
    return jobDone(asked.id);
  },
  {
    after: refresh,
    done: () => router.push({ name: "trip", params: { id: trip.value.id, station: "review" } }),
  },
);
const DOINGS = { create: "Making new", update: "Changing", delete: "Deleting" } as const;
/** What the application's rules have switched off, whatever is chosen here. */
const off = computed(() => {
  const does = trip.value.denied.map((one) => (one in DOINGS ? DOINGS[one as keyof typeof DOINGS] : one));
  if (!does.length) return "";
  return `${does.join(", ")} is off for ${trip.value.plural} of ${trip.value.application.label}: such rows are rejected.`;
});
</script>

<template>
  <div class="work">
    <form class="main overflow-auto" @submit.prevent="start()">
      <div class="tools">
        <span>Rows</span>
        <ChoiceList
          v-model="operation"
          as="pill"
          label="What to do with the rows"
          :options="OPERATIONS"
          :disabled="!mayPrepare"
        />
        <ReachPart v-model="reach" v-model:unsettled="reaching" :disabled="!mayPrepare" />
        <span class="soft">{{ MEANS[operation] }}</span>
        <span v-if="off" class="w-full font-semibold text-held" data-testid="denied">{{ off }}</span>
      </div>
      <KeyTable
        v-if="measured?.candidates.length && !unmatched"
        v-model="key"
        :measured="measured"
        :disabled="!mayPrepare"
        @look="looked = $event"
      />
      <p v-else-if="unmatched" class="soft p-3">
        Where the sheet has a key, it has to be used: create by it, and rows that find a record are set aside.
      </p>
      <p v-else-if="measuring || measured" class="soft p-3">
        {{ measuring ? "Measuring the keys…" : "No key has been measured yet." }}
      </p>
      <div v-if="mayPrepare && !unmatched" class="flex flex-wrap items-center gap-2 px-3 py-2">
        <span>Other fields</span>
        <span v-for="name in together" :key="name" class="chip">{{ label(name) }}</span>
        <SearchPart
          model-value=""
          clears
          label="Field of another key"
          :empty="together.length ? '+ and' : 'which?'"
          :options="carried"
          @chosen="together = [...together, $event]"
        />
        <BusyButton
          type="button"
          class="sm"
          :busy="measuring"
          :disabled="!together.length || !!trip.job"
          says="Measuring…"
          @click="measureThem()"
        >
          Measure it
        </BusyButton>
        <span class="flex-1" />
        <span v-if="measured?.read_at" class="soft"
          >{{ count(measured.records) }} records, read {{ fullTime(measured.read_at)
          }}<template v-if="!measured.current">; the sheet has changed since</template></span
        >
        <BusyButton
          type="button"
          class="sm"
          :busy="measuring"
          :disabled="!!trip.job"
          says="Measuring…"
          @click="measure()"
        >
          {{ measured?.read_at ? "Measure again" : "Measure the keys" }}
        </BusyButton>
      </div>
      <div class="p-3">
        <BusyButton
          type="submit"
          class="go"
          :busy="busy"
          :disabled="reaching || (!key && !unmatched) || !trip.rows || !mayPrepare || !!trip.job"
          says="Matching…"
        >
          {{ unmatched ? "Review the rows" : changed ? "Match rows and review" : "Match rows again" }}
        </BusyButton>
      </div>
      <KeyRows v-if="looked" :of="looked" :labels="looked.fields.map(label)" @close="looked = null" />
      <KeyLists />
      <AbsentList v-if="trip.absent" />
    </form>
    <SidePanel label="About keys">
      <h2>How rows find their records</h2>
      <p>
        The key's values in a row are looked for in the application. A row whose key is found changes that record;
        nothing else does.
      </p>
      <AlertNote v-if="trip.summary?.keys_not_read" tone="held">
        {{ count(trip.summary.keys_not_read) }} records are too many to read all their keys. A key that is only written
        otherwise, with composed accents or spaces at its ends, may be taken for a new record.
      </AlertNote>
      <section class="card">
        <b>How keys compare</b>
        <p>007 is not 7. Spaces at the ends do not count. A blank or partly blank key rejects its row.</p>
        <fieldset :disabled="!mayPrepare">
          <legend class="field-label">What makes no difference</legend>
          <label v-for="one in IGNORED" :key="one.value" class="flex items-center gap-2"
            ><input v-model="ignores" type="checkbox" :value="one.value" /> {{ one.says }}</label
          >
        </fieldset>
        <p v-if="ignores.length" class="soft">Where two records become one by it, the row asks which one it is.</p>
      </section>
      <AbsentCard v-if="!trip.absent" />
      <section class="card">
        <b>Two rows, one record</b>
        <p>
          If they say the same, the first counts and the others are set aside. If they differ, all of them are held.
        </p>
      </section>
    </SidePanel>
  </div>
</template>
