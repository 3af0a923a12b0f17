<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";

import { api, data } from "@/api/client";
import { jobEnded, useCatalogue } from "@/api/queries";
import SmallBar from "@/parts/SmallBar.vue";
import { sayError } from "@/shell/notices";

import { useTripContext } from "../context";

const OPERATIONS = [
  { name: "update", says: "update what is there", note: "A row whose key is not found is rejected." },
  {
    name: "upsert",
    says: "update what is there, create the rest",
    note: "A row whose key is not found becomes a new record.",
  },
  { name: "create", says: "create new records", note: "A row whose record exists is set aside." },
  { name: "delete", says: "delete the records", note: "Each row's record is deleted; its cells are not compared." },
];
defineEmits<{ bring: []; choose: [string] }>();
const router = useRouter();
const { trip, mayPrepare, refresh } = useTripContext();
const { data: catalogue } = useCatalogue(computed(() => trip.value.application.name));
const type = computed(() => catalogue.value?.types.find((t) => t.name === trip.value.record_type));
const operation = ref(trip.value.operation ?? "update");
const summary = computed(() => trip.value.summary as { key?: string[]; verdicts?: Record<string, number> } | null);
const used = computed(() => (summary.value?.key ?? (trip.value.key as string[]) ?? []).join("+"));
const key = ref(used.value);
watch(used, (now) => (key.value = now));
const there = computed(() => new Set(trip.value.columns.map((c) => c.field_name)));
const label = (name: string): string => type.value?.all_fields.find((f) => f.name === name)?.label ?? name;
const candidates = computed(() =>
  [[type.value?.identifier ?? ""], ...(type.value?.keys ?? [])]
    .filter((names) => names[0])
    .map((names) => ({ id: names.join("+"), names, missing: names.filter((name) => !there.value.has(name)) })),
);
const note = computed(() => OPERATIONS.find((one) => one.name === operation.value)?.note);
const changed = computed(() => key.value !== used.value || operation.value !== trip.value.operation);
const busy = ref(false);

async function match(): Promise<void> {
  busy.value = true;
  try {
    const body = { key: key.value.split("+"), operation: operation.value };
    const asked = await data(
      api.PATCH("/api/trips/{id}/columns", {
        params: { path: { id: trip.value.id } },
        headers: { "If-Match": `"${trip.value.version}"` },
        body,
      }),
    );
    const job = await jobEnded(asked.id);
    await refresh();
    if (job.state !== "done") throw new Error(job.error || job.message);
    await router.push({ name: "trip", params: { id: trip.value.id, station: "review" } });
  } catch (error) {
    sayError(error);
    await refresh();
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <div class="work">
    <form class="main overflow-auto" @submit.prevent="match">
      <div class="tools">
        <label class="flex items-center gap-2"
          >Rows
          <select v-model="operation" class="chip" :disabled="!mayPrepare">
            <option v-for="one in OPERATIONS" :key="one.name" :value="one.name">{{ one.says }}</option>
          </select></label
        >
        <span class="soft">{{ note }}</span>
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
              <SmallBar v-if="one.id === used && trip.rows" :sum="summary?.verdicts ?? {}" /><span
                v-else
                class="soft"
                >{{ one.missing.length ? "" : "choose it to see" }}</span
              >
            </td>
          </tr>
        </tbody>
      </table>
      <div class="p-3">
        <button type="submit" class="btn go" :disabled="busy || !key || !trip.rows || !mayPrepare || !!trip.job">
          {{ changed ? "Match rows and review" : "Match rows again" }}
        </button>
      </div>
    </form>
    <aside class="side" aria-label="About keys">
      <h2>How rows find their records</h2>
      <p>
        The key's values in a row are looked for in the application. A row whose key is found changes that record;
        nothing else does.
      </p>
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
    </aside>
  </div>
</template>
