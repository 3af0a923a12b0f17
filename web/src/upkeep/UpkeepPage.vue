<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";

import { api, data } from "@/api/client";
import { fullTime, room } from "@/parts/format";
import { useFootNote } from "@/services/foot";
import AlertNote from "@/ui/AlertNote.vue";
import SidePanel from "@/ui/SidePanel.vue";

import KeepForm from "./KeepForm.vue";
import RoomTaken from "./RoomTaken.vue";

defineEmits<{ bring: [] }>();
const { data: upkeep, error } = useQuery({
  queryKey: ["upkeep"],
  queryFn: () => data(api.GET("/api/upkeep")),
  meta: { told: true },
});
useFootNote(() =>
  upkeep.value?.thinned_at ? `looked last ${fullTime(upkeep.value.thinned_at)} what is over its time` : "",
);
</script>

<template>
  <div class="where">
    <h1>Upkeep</h1>
    <span class="soft">what takes room, and how long things are kept</span>
  </div>
  <div class="work">
    <div class="main overflow-y-auto!">
      <AlertNote v-if="error" class="m-3">{{ error.message }}</AlertNote>
      <template v-if="upkeep">
        <RoomTaken :upkeep="upkeep" />
        <KeepForm :upkeep="upkeep" />
      </template>
    </div>
    <SidePanel label="Receipts of deleted trips">
      <h2>Receipts of deleted trips</h2>
      <p>A trip can be deleted at the foot of its File station. What was written stays proven here.</p>
      <p v-if="upkeep && !upkeep.receipts.length">None yet.</p>
      <section v-for="receipt in upkeep?.receipts ?? []" :key="receipt.id" class="card">
        <b>{{ receipt.title }}</b>
        <p>
          Trip {{ receipt.trip }}{{ (receipt.part ?? 1) > 1 ? `, part ${receipt.part}` : "" }},
          {{ receipt.application }}, deleted {{ receipt.kept_at ? fullTime(receipt.kept_at) : "" }}
        </p>
        <a class="text-marine underline" :href="`/api/upkeep/receipts/${receipt.id}`" download
          >Download, {{ room(receipt.size) }}</a
        >
      </section>
    </SidePanel>
  </div>
</template>
