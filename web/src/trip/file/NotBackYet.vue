<script setup lang="ts">
/** In the grid's place while no sheet has come back: records that are on their way out, or what to do next. */
import { api, data } from "@/api/client";
import BusyButton from "@/ui/BusyButton.vue";
import { useDoing } from "@/ui/doing";

import { useTripContext } from "../context";

defineEmits<{ bring: [] }>();
const { trip, mayPrepare, refresh } = useTripContext();
const goingOn = useDoing<unknown>(
  () => data(api.POST("/api/trips/{id}/send-out", { params: { path: { id: trip.value.id } } })),
  { after: refresh },
);
</script>

<template>
  <div class="m-auto max-w-md p-6 text-center">
    <template v-if="trip.went_out?.pending && trip.job">
      <h2 class="text-title">The records are on their way out.</h2>
      <p class="soft mt-2">You may leave this page: it goes on, and the sheet stays with the trip.</p>
    </template>
    <template v-else-if="trip.went_out?.pending">
      <h2 class="text-title">The records did not go out yet.</h2>
      <p class="soft mt-2">It was stopped, or broke off. What was read is kept, and it goes on from there.</p>
      <BusyButton v-if="mayPrepare" type="button" class="go mt-4" :busy="goingOn.busy.value" @click="goingOn.start()"
        >Go on sending out</BusyButton
      >
    </template>
    <template v-else>
      <h2 class="text-title">This trip's sheet is not back yet.</h2>
      <p class="soft mt-2">
        Change cells in the sheet that was sent out, save it, and drop it anywhere here. Vexo compares each cell with
        what went out and shows what would change.
      </p>
      <button v-if="mayPrepare" type="button" class="btn go mt-4" @click="$emit('bring')">
        Bring the sheet in <kbd>I</kbd>
      </button>
    </template>
  </div>
</template>
