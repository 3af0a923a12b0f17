<script setup lang="ts">
/** The trip that this one takes back, and those that take it back. */
import { many } from "@/parts/format";

import type { TripDetail } from "@/api/client";

defineProps<{ trip: TripDetail }>();
const to = (trip: number) => ({ name: "trip", params: { id: trip } });
const back = (count: number): string =>
  count ? `${many(count, "record is", "records are")} back` : "nothing is back yet";
</script>

<template>
  <p
    v-if="trip.takes_back || trip.taken_back.length"
    class="flex flex-none flex-wrap gap-x-4 px-4 pb-2 text-small"
    data-testid="ways-back"
  >
    <span v-if="trip.takes_back"
      >Takes back
      <RouterLink class="font-semibold text-marine underline" :to="to(trip.takes_back.trip)"
        >trip {{ trip.takes_back.trip }}, {{ trip.takes_back.title }}</RouterLink
      >: {{ back(trip.takes_back.count) }}.</span
    >
    <span v-for="other in trip.taken_back" :key="other.trip"
      >Taken back by
      <RouterLink class="font-semibold text-marine underline" :to="to(other.trip)">trip {{ other.trip }}</RouterLink>:
      {{ back(other.count) }}.</span
    >
  </p>
</template>
