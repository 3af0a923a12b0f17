<script setup lang="ts">
/** Move a trip that was tried on practice to live: a new trip there. */
import { computed } from "vue";
import { useRouter } from "vue-router";

import { api, data } from "@/api/client";
import { jobDone, useApplications } from "@/api/queries";
import BusyButton from "@/ui/BusyButton.vue";
import { useDoing } from "@/ui/doing";

import { useTripContext } from "../context";

const { trip, mayPrepare } = useTripContext();
const router = useRouter();
const { data: applications } = useApplications();
/** Where it can go from practice: the applications whose records are the real ones. */
const targets = computed(() =>
  trip.value.application.stage === "practice" && trip.value.plan && mayPrepare.value
    ? (applications.value ?? []).filter((one) => one.stage === "live")
    : [],
);
const { busy, start } = useDoing(
  async (application: string) => {
    const params = { path: { id: trip.value.id } };
    return jobDone((await data(api.POST("/api/trips/{id}/move", { params, body: { application } }))).id);
  },
  {
    done: (job) => {
      void router.push({ name: "trip", params: { id: job.trip ?? 0, station: "review" } });
    },
  },
);
</script>

<template>
  <BusyButton
    v-for="target in targets"
    :key="target.name"
    type="button"
    :busy="busy"
    says="Moving…"
    :disabled="!!trip.job"
    data-testid="move"
    @click="start(target.name)"
  >
    Move to live{{ targets.length > 1 ? `: ${target.label}` : "" }}
  </BusyButton>
</template>
