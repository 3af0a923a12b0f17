<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";

import { api, data } from "@/api/client";
import { jobDone, useCatalogue } from "@/api/queries";
import { OPERATIONS } from "@/parts/operations";
import SmallBar from "@/parts/SmallBar.vue";
import { count } from "@/parts/format";
import AlertNote from "@/ui/AlertNote.vue";
import BusyButton from "@/ui/BusyButton.vue";
import ChoiceList from "@/ui/ChoiceList.vue";
import { useDoing } from "@/ui/doing";
import SidePanel from "@/ui/SidePanel.vue";

import { useTripContext } from "../context";

const MEANS: Record<string, string> = {
  update: "A row whose key is not found is rejected.",
  upsert: "A row whose key is not found becomes a new record.",
  create: "A row whose record exists is set aside.",
  delete: "Each row's record is deleted; its cells are not compared.",
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
const there = computed(() => new Set(trip.value.columns.map((c) => c.field)));
const label = (name: string): string => type.value?.all_fields.find((f) => f.name === name)?.label ?? name;
const candidates = computed(() =>
  [[type.value?.identifier ?? ""], ...(type.value?.keys ?? [])]
    .filter((names) => names[0])
    .map((names) => ({ id: names.join("+"), names, missing: names.filter((name) => !there.value.has(name)) })),
);
const changed = computed(() => key.value !== used.value || operation.value !== trip.value.operation);
const { start, busy } = useDoing(
  async () => {
    const params = { path: { id: trip.value.id }, header: { "If-Match": `"${trip.value.version}"` } };
    const body = { key: key.value.split("+"), operation: operation.value };
    const asked = await data(api.PATCH("/api/trips/{id}/columns", { params, body }));
    return jobDone(asked.id);
  },
  {
    after: refresh,
    done: () => router.push({ name: "trip", params: { id: trip.value.id, station: "review" } }),
  },
);
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
        <span class="soft">{{ MEANS[operation] }}</span>
      </div>
      <table class="plain-table">
        <thead>
          <tr>
            <th class="w-10"><span class="sr-only">Choose</span></th>
            <th>Key</th>
            <th>In the sheet</th>
            <th>What it gives</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in candidates" :key="one.id">
            <td>
              <input
                :id="one.id"
                v-model="key"
                type="radio"
                name="key"
                :value="one.id"
                :disabled="!!one.missing.length || !mayPrepare"
              />
            </td>
            <td>
              <label :for="one.id" class="font-semibold">{{ one.names.map(label).join(" + ") }}</label>
            </td>
            <td :class="{ soft: one.missing.length }">
              {{
                one.missing.length
                  ? `${one.missing.map(label).join(", ")} is not in the sheet`
                  : "all its columns are there"
              }}
            </td>
            <td class="w-60">
              <SmallBar v-if="one.id === used && trip.rows" :sum="trip.summary?.verdicts ?? {}" /><span
                v-else
                class="soft"
                >{{ one.missing.length ? "" : "choose it to see" }}</span
              >
            </td>
          </tr>
        </tbody>
      </table>
      <div class="p-3">
        <BusyButton
          type="submit"
          class="go"
          :busy="busy"
          :disabled="!key || !trip.rows || !mayPrepare || !!trip.job"
          says="Matching…"
        >
          {{ changed ? "Match rows and review" : "Match rows again" }}
        </BusyButton>
      </div>
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
        <b>Keys compare exactly</b>
        <p>007 is not 7. Spaces at the ends do not count. A blank or partly blank key rejects its row.</p>
      </section>
      <section class="card">
        <b>Two rows, one record</b>
        <p>
          If they say the same, the first counts and the others are set aside. If they differ, all of them are held.
        </p>
      </section>
    </SidePanel>
  </div>
</template>
