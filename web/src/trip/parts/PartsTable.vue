<script setup lang="ts">
/** Who has which part, what is back, and where each stands. */
import { computed, nextTick, ref } from "vue";

import { api, data, type Part, type TripDetail } from "@/api/client";
import { count, fullTime, many } from "@/parts/format";
import SmallBar from "@/parts/SmallBar.vue";
import VerdictSign from "@/parts/VerdictSign.vue";
import { useDoing } from "@/ui/doing";

import { useTripContext } from "../context";
import { came, parted } from "./words";

const { trip, mayPrepare, set } = useTripContext();
const writing = ref(0);
const holder = ref("");
const total = computed(() => trip.value.parts.reduce((sum, part) => sum + part.rows, 0));
const summed = (part: Part): string =>
  Object.entries(part.sum)
    .filter(([, rows]) => rows)
    .map(([name, rows]) => `${count(rows)} ${name}`)
    .join(", ");
const giving = useDoing<TripDetail, Part>(
  (part) => {
    const params = { path: { id: trip.value.id, number: part.number } };
    return data(api.PATCH("/api/trips/{id}/parts/{number}", { params, body: { holder: holder.value } }));
  },
  { done: set, after: () => (writing.value = 0) },
);
const written = ref<HTMLInputElement[]>();
function begin(part: Part): void {
  writing.value = part.number;
  holder.value = part.holder;
  void nextTick(() => written.value?.[0]?.focus());
}
function end(part: Part): void {
  if (writing.value !== part.number) return;
  if (holder.value === part.holder) writing.value = 0;
  else giving.start(part);
}
</script>

<template>
  <div class="flex min-h-0 flex-1 flex-col" data-testid="parts">
    <div class="tools">
      <b>Shared out to {{ many(trip.parts.length, "sheet", "sheets") }}</b>
      <span class="soft">{{ many(total, "record", "records") }} · {{ parted(trip.parts) }}</span>
      <a class="btn sm ml-auto" :href="`/api/trips/${trip.id}/parts.zip`" download>Download all, one ZIP</a>
    </div>
    <div class="min-h-0 flex-1 overflow-auto" tabindex="0" role="region" aria-label="Parts">
      <table class="plain-table">
        <thead>
          <tr>
            <th>Part</th>
            <th>With</th>
            <th class="!text-right">Rows</th>
            <th>Status</th>
            <th>Its sum</th>
            <th><span class="sr-only">What can be done</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="part in trip.parts" :key="part.number" :class="{ chosen: part.number === trip.part && part.came }">
            <td class="font-semibold">{{ part.label }}</td>
            <td class="w-48">
              <input
                v-if="writing === part.number"
                id="part-holder"
                ref="written"
                v-model="holder"
                class="input !min-h-7"
                maxlength="120"
                :aria-label="`Who has ${part.label}`"
                @keydown.enter.prevent="end(part)"
                @keydown.escape="writing = 0"
                @blur="end(part)"
              />
              <button
                v-else-if="mayPrepare"
                type="button"
                class="min-h-6 border-b-2"
                :class="part.holder ? 'border-marine' : 'soft border-dashed border-rule-strong'"
                :aria-label="`${part.holder || 'who?'}, who has ${part.label}`"
                @click="begin(part)"
              >
                {{ part.holder || "who?" }}
              </button>
              <template v-else>{{ part.holder }}</template>
            </td>
            <td class="mono text-right">
              {{ count(part.rows)
              }}<template v-if="part.back_rows != null && part.back_rows !== part.rows">
                <small class="soft block">{{ count(part.back_rows) }} back</small></template
              >
            </td>
            <td>
              <span class="inline-flex items-center gap-1.5"
                ><VerdictSign v-if="part.came" :verdict="part.kind" />{{
                  part.came ? part.says : "out, not back yet"
                }}</span
              >
              <small v-if="part.back_at" class="soft block" :title="fullTime(part.back_at)"
                >{{ came(part) }}, {{ part.back_by }}</small
              >
            </td>
            <td class="w-44">
              <SmallBar v-if="part.came" :sum="part.sum" :title="summed(part)" />
              <small class="soft block">{{ summed(part) }}</small>
            </td>
            <td class="text-right whitespace-nowrap">
              <RouterLink
                v-if="part.came"
                class="btn sm"
                :to="{ name: 'trip', params: { id: trip.id }, query: { part: String(part.number) } }"
                >Open</RouterLink
              >
              <a v-if="part.sheet" class="btn sm ml-1.5" :href="`/api/trips/${trip.id}/sheets/${part.sheet}`" download
                >Sheet</a
              >
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  </div>
</template>
