<script setup lang="ts">
/** What went out, kept with the trip: to be downloaded, and to be held against the application as it is now. */
import { computed } from "vue";

import { api, data } from "@/api/client";
import { jobDone } from "@/api/queries";
import { count, exact, fullTime, many, when } from "@/parts/format";
import BusyButton from "@/ui/BusyButton.vue";
import { useDoing } from "@/ui/doing";

import { useTripContext } from "../context";

const { trip, mayPrepare, refresh } = useTripContext();
const out = computed(() => trip.value.went_out);
const since = computed(() => out.value?.since);
const FEW = 10;
const comparing = useDoing<unknown>(
  async () => {
    const asked = await data(api.POST("/api/trips/{id}/compare", { params: { path: { id: trip.value.id } } }));
    await jobDone(asked.id);
  },
  { after: refresh },
);
const others = computed(() => (since.value ? since.value.cells - since.value.ours : 0));
const says = computed(() => {
  const now = since.value;
  if (!now) return [];
  return [
    `${count(now.then)} records then, ${count(now.now)} in the selection now`,
    now.cells
      ? `${many(now.cells, "cell", "cells")} in ${many(now.records, "record", "records")} changed: ${count(now.ours)} by this trip, ${count(others.value)} by others`
      : "every cell is as it went out",
    now.gone && `${many(now.gone, "record", "records")} deleted, ${count(now.gone_by_us)} by this trip`,
    now.left && `${many(now.left, "record does", "records do")} not meet the condition any more`,
    now.come && `${many(now.come, "record", "records")} new in it, ${count(now.come_by_us)} by this trip`,
  ].filter((one): one is string => !!one);
});
const sums = computed(() => out.value?.totals ?? []);
const backup = ["xlsx", "csv"];
</script>

<template>
  <template v-if="out && !out.pending">
    <section class="card" data-testid="went-out">
      <p class="!text-ink">{{ out.says }}</p>
      <p v-if="sums.length && !since">
        <span v-for="(one, at) in sums.slice(0, 4)" :key="one.label"
          ><template v-if="at"> · </template>Σ {{ one.label }} <span class="mono">{{ exact(one.sum) }}</span></span
        >
      </p>
      <p v-if="out.formulas">
        {{ many(out.formulas, "cell keeps its formula", "cells keep their formulas") }}:
        <span class="mono">{{ out.formula_cells.slice(0, 8).join(", ") }}</span
        ><template v-if="out.formulas > 8"> …</template>
      </p>
      <p v-if="out.missing" class="!text-reject">
        {{ many(out.missing, "key found", "keys found") }} no record:
        <span class="mono">{{ out.not_found.slice(0, 8).join(", ") }}</span
        ><template v-if="out.missing > 8"> …</template>
      </p>
    </section>
    <section v-if="out.also_out.length" class="card !border-held">
      <b class="text-held">Out on other trips too</b>
      <p v-for="one in out.also_out" :key="one.trip">
        {{ count(one.count) }} on <RouterLink class="underline" :to="`/trips/${one.trip}`">{{ one.title }}</RouterLink>,
        {{ one.by }}, since {{ when(one.since) }}.
      </p>
    </section>
    <p v-if="out.also_out_note" class="soft text-small">{{ out.also_out_note }}</p>
    <section class="card" data-testid="since">
      <b>Kept copy</b>
      <p>The records as they went out stay here: your backup, and what tells your edits from other people's.</p>
      <div class="mt-2 flex flex-wrap gap-1.5">
        <a v-for="one in backup" :key="one" class="btn sm" :href="`/api/trips/${trip.id}/kept.${one}`" download>{{
          one.toUpperCase()
        }}</a>
        <BusyButton
          v-if="mayPrepare && out.records"
          type="button"
          class="sm"
          :busy="comparing.busy.value || trip.job?.kind === 'compare'"
          says="Reading again…"
          @click="comparing.start()"
          >What changed since?</BusyButton
        >
      </div>
      <template v-if="since">
        <ul class="mt-2 text-small" aria-live="polite">
          <li v-for="one in says" :key="one">{{ one }}.</li>
          <li v-for="one in since.totals" :key="one.name">
            Σ {{ one.label }}: <span class="mono">{{ exact(one.then) }} → {{ exact(one.is_now) }}</span>
          </li>
        </ul>
        <table v-if="since.changes.length" class="mt-1.5 w-full table-fixed text-data">
          <caption class="sr-only">
            The first cells that changed
          </caption>
          <tbody>
            <tr
              v-for="(one, at) in since.changes.slice(0, FEW)"
              :key="at"
              class="border-t border-rule"
              :title="`${one.record}, ${one.label}, ${one.ours ? 'by this trip' : 'by others'}`"
            >
              <th scope="row" class="w-24 truncate py-0.5 text-left font-normal">{{ one.record }}</th>
              <td class="mono break-words">
                <span class="soft">{{ one.label }}</span> {{ one.then ?? "empty" }} → {{ one.is_now ?? "empty" }}
                <b v-if="!one.ours" class="text-held">others</b>
              </td>
            </tr>
          </tbody>
        </table>
        <p class="soft mt-1">Read again {{ fullTime(since.at) }}.</p>
      </template>
    </section>
  </template>
</template>
