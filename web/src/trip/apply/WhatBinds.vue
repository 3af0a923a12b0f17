<script setup lang="ts">
/** What binds a plan here: its approval, its time, the rules of the application; and what is there to hand on. */
import { computed } from "vue";

import { api } from "@/api/client";
import { withPart } from "@/api/part";
import { moment } from "@/parts/format";
import { useDoing } from "@/ui/doing";

import { useTripContext } from "../context";
import ApprovalCard from "./ApprovalCard.vue";

defineEmits<{ lift: [string] }>();
const { trip, refresh } = useTripContext();
const scheduled = computed(() => trip.value.scheduled);
const OFF = { create: "Making new ones", update: "Changing them", delete: "Deleting them" } as const;
const isOff = (text: string): text is keyof typeof OFF => text in OFF;
const off = computed(() => trip.value.denied.filter(isOff).map((one) => OFF[one]));
const file = (ending: string): string => withPart(`/api/trips/${trip.value.id}/document.${ending}`);
const cancelling = useDoing(
  () => api.DELETE("/api/trips/{id}/scheduled", { params: { path: { id: trip.value.id } } }),
  { after: refresh },
);
</script>

<template>
  <aside class="grid content-start gap-3" aria-label="What binds here">
    <ApprovalCard @lift="$emit('lift', $event)" />
    <section v-if="trip.needs_token" class="card" data-testid="needs-token" aria-label="Your token">
      <h2>Your own token</h2>
      <p class="mt-1 font-semibold text-held">
        {{ trip.application.label }} asks each person for a token of their own before they write.
      </p>
      <RouterLink class="btn sm mt-2" :to="`/applications/${trip.application.name}`">Give yours</RouterLink>
    </section>
    <section v-if="scheduled" class="card" data-testid="scheduled" aria-label="At a time">
      <h2>At a time</h2>
      <p class="mt-1">
        Plan {{ scheduled.plan }} {{ scheduled.state === "lapsed" ? "was to be sent" : "is sent" }}
        <b>{{ moment(scheduled.at) }}</b>, as {{ scheduled.by.name }} has said.
      </p>
      <p v-if="scheduled.state === 'lapsed'" class="mt-1 font-semibold text-held">
        Nothing was sent: {{ scheduled.reason }}
      </p>
      <p v-else-if="!scheduled.counts" class="mt-1 font-semibold text-held">
        The trip was changed since, so nothing is sent then. Say the time again for the plan that counts.
      </p>
      <p v-else class="soft mt-1">Exactly this plan is sent then, or nothing where it no longer counts.</p>
      <button
        v-if="trip.application.may_apply"
        type="button"
        class="btn sm mt-2"
        :disabled="cancelling.busy.value"
        data-testid="no-time"
        @click="cancelling.start()"
      >
        {{ scheduled.state === "lapsed" ? "Seen" : "Do not send it then" }}
      </button>
    </section>
    <section v-if="off.length || trip.times" class="card" aria-label="Rules">
      <h2>By this application's rules</h2>
      <p v-if="off.length" class="mt-1">{{ off.join(" and ") }} is off for {{ trip.plural }}.</p>
      <p v-if="trip.times" class="mt-1">{{ trip.plural }} are written {{ trip.times }} alone.</p>
    </section>
    <section class="card" aria-label="The plan as a document">
      <h2>The plan as a document</h2>
      <p class="soft mt-1">Every row with old and new, what was decided, totals.</p>
      <p class="mt-2 flex gap-2">
        <a class="btn sm" :href="file('xlsx')" download>Workbook</a>
        <a class="btn sm" :href="file('html')" target="_blank" rel="noopener">To print</a>
      </p>
    </section>
    <section class="card" aria-label="Taking back">
      <h2>It can be taken back</h2>
      <p class="soft mt-1">
        Outcome prepares it: each value goes back to what it was before, what others change meanwhile is held, and
        records that were deleted are made anew, with new record IDs.
      </p>
    </section>
  </aside>
</template>
