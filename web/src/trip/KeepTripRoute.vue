<script setup lang="ts">
/** Keep the whole way of a trip as a route: what went out, and how its sheet came in. */
import { ref, watch } from "vue";

import { api, data, queryClient, type Route } from "@/api/client";
import { useRoutes } from "@/api/queries";
import { say } from "@/services/notices";
import BusyButton from "@/ui/BusyButton.vue";
import DialogFrame from "@/ui/DialogFrame.vue";
import { useDoing } from "@/ui/doing";

import { useTripContext } from "./context";

const { trip, refresh } = useTripContext();
const { data: routes } = useRoutes();
const open = ref(false);
const name = ref("");
const said = ref("");
watch(open, () => {
  name.value = trip.value.on_route?.name ?? trip.value.title;
  said.value = "";
});
const keeping = useDoing<Route>(
  () => {
    const params = { path: { id: trip.value.id } };
    return data(api.POST("/api/trips/{id}/route", { params, body: { name: name.value.trim() } }));
  },
  {
    done: (kept) => {
      void queryClient.invalidateQueries({ queryKey: ["routes"] });
      say(`Kept as the route ${kept.name}. A sheet with these columns needs no set-up.`);
      open.value = false;
    },
    failed: (error) => (said.value = error.message),
    after: refresh,
  },
);
</script>

<template>
  <button type="button" class="btn" @click="open = true">Keep as route…</button>
  <DialogFrame :open="open" title="Keep as route" @close="open = false">
    <form class="grid w-[420px] max-w-full gap-3" @submit.prevent="keeping.start()">
      <p class="soft">
        Columns, lanes, key and what the rows are for are kept{{ trip.went_out ? ", with what went out" : "" }}. A sheet
        with the same columns is ready for review without a question.
      </p>
      <label
        ><span class="field-label">Its name</span
        ><input v-model="name" class="input" maxlength="120" required aria-describedby="trip-route-said"
      /></label>
      <p v-if="said" id="trip-route-said" class="text-reject" role="alert">{{ said }}</p>
      <div class="flex gap-2">
        <BusyButton class="btn go" :busy="keeping.busy.value" :disabled="!name.trim()">{{
          routes?.some((one) => one.name === name.trim()) ? "Change the route" : "Keep it"
        }}</BusyButton>
        <button type="button" class="btn" @click="open = false">Cancel</button>
      </div>
    </form>
  </DialogFrame>
</template>
