<script setup lang="ts">
/** The end of a trip, for administrators: it goes with all that belongs to it. */
import { ref } from "vue";
import { useRouter } from "vue-router";

import { api, data, queryClient } from "@/api/client";
import { useMay } from "@/api/queries";
import { room } from "@/parts/format";
import { say } from "@/services/notices";
import AlertNote from "@/ui/AlertNote.vue";
import BusyButton from "@/ui/BusyButton.vue";
import { useDoing } from "@/ui/doing";

import { useTripContext } from "../context";

const { trip } = useTripContext();
const router = useRouter();
const mayTidy = useMay("tidy");
const asking = ref(false);
const deleting = useDoing(() => data(api.DELETE("/api/trips/{id}", { params: { path: { id: trip.value.id } } })), {
  failed: () => {},
  done: async (deleted) => {
    const title = trip.value.title;
    await router.replace("/");
    await queryClient.invalidateQueries({ queryKey: ["trips"] });
    say(`${title} is deleted: ${room(deleted.bytes)} are free${deleted.receipts ? ", its receipt is at Upkeep" : ""}.`);
  },
});
</script>

<template>
  <section v-if="mayTidy" class="card mt-auto grid gap-2">
    <b>Delete this trip</b>
    <template v-if="asking">
      <p class="text-ink">
        Its sheets, kept copies, plans and passes go, and it can no longer be taken back.
        <template v-if="trip.passes.length">A receipt of what was written is kept at Upkeep.</template>
      </p>
      <AlertNote v-if="deleting.error.value">{{ deleting.error.value.message }}</AlertNote>
      <div class="flex flex-wrap gap-2">
        <BusyButton type="button" class="sm warn" :busy="deleting.busy.value" @click="deleting.start()"
          >Yes, delete trip {{ trip.id }}</BusyButton
        >
        <button type="button" class="btn sm" @click="asking = false">Leave it</button>
      </div>
    </template>
    <button v-else type="button" class="btn sm justify-self-start" @click="asking = true">Delete it…</button>
  </section>
</template>
