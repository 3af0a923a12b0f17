<script setup lang="ts">
/** Why nothing can be applied, and where to go instead. */
import { computed } from "vue";

import BusyButton from "@/ui/BusyButton.vue";

import { useTripContext } from "../context";
import { usePlanAgain } from "../planning";
import WhatBinds from "./WhatBinds.vue";

const { trip } = useTripContext();
const { planAgain, busy } = usePlanAgain();
const stale = computed(() => !!trip.value.plan && !trip.value.plan.current);
const says = computed(() => {
  if (trip.value.sent_by) return ["What was confirmed has been sent.", "Outcome shows what became of each row."];
  if (stale.value)
    return [
      "The plan no longer counts.",
      "Something was changed since it was made. Plan again, look at Review, then apply.",
    ];
  const why = trip.value.plan
    ? "No row of the plan changes anything. Review shows why."
    : "The trip has no plan yet; the stations before this one say what is missing.";
  return ["There is nothing to write.", why];
});
</script>

<template>
  <div class="grid items-start gap-4 lg:grid-cols-[minmax(0,42rem)_20rem]">
    <section class="card">
      <h2>{{ says[0] }}</h2>
      <p class="mt-1">{{ says[1] }}</p>
      <BusyButton v-if="stale && !trip.sent_by" type="button" class="go mt-3" :busy="busy" @click="planAgain()">
        Plan again
      </BusyButton>
      <RouterLink
        v-else
        class="btn mt-3"
        :to="{ name: 'trip', params: { id: trip.id, station: trip.sent_by ? 'outcome' : 'review' } }"
        >{{ trip.sent_by ? "To Outcome" : "To Review" }}</RouterLink
      >
    </section>
    <WhatBinds v-if="trip.scheduled" />
  </div>
</template>
