<script setup lang="ts">
/** Keep what goes out as a route: under a new name, or in place of the one that it was taken from. */
import { computed, ref, watch } from "vue";

import { api, data, type Document, queryClient, type Route } from "@/api/client";
import { say } from "@/services/notices";
import BusyButton from "@/ui/BusyButton.vue";
import DialogFrame from "@/ui/DialogFrame.vue";
import { useDoing } from "@/ui/doing";

const props = defineProps<{ open: boolean; application: string; document: Document; route: Route | undefined }>();
const emit = defineEmits<{ close: []; kept: [route: Route] }>();
const name = ref("");
const said = ref("");
watch(
  () => props.open,
  () => {
    name.value = props.route?.name ?? "";
    said.value = "";
  },
);
const same = computed(() => props.route && props.route.name === name.value.trim());
const keeping = useDoing<Route>(
  () => {
    const body = { ...props.document, application: props.application, name: name.value.trim(), version: 0 };
    const before = props.route;
    if (before && same.value) {
      const params = { path: { id: before.id } };
      return data(api.PUT("/api/routes/{id}", { params, body: { ...body, version: before.version } }));
    }
    return data(api.POST("/api/routes", { body }));
  },
  {
    done: (kept) => {
      void queryClient.invalidateQueries({ queryKey: ["routes"] });
      say(`Kept as the route ${kept.name}. A trip on it needs no set-up.`);
      emit("kept", kept);
      emit("close");
    },
    failed: (error) => (said.value = error.message),
  },
);
</script>

<template>
  <DialogFrame :open="open" title="Keep as route" @close="emit('close')">
    <form class="grid w-[420px] max-w-full gap-3" @submit.prevent="keeping.start()">
      <p class="soft">Record type, condition, fields and their order, sharing and format are kept, to be used again.</p>
      <label
        ><span class="field-label">Its name</span
        ><input v-model="name" class="input" maxlength="120" required aria-describedby="route-said"
      /></label>
      <p v-if="said" id="route-said" class="text-reject" role="alert">{{ said }}</p>
      <div class="flex gap-2">
        <BusyButton class="btn go" :busy="keeping.busy.value" :disabled="!name.trim()">{{
          same ? "Change the route" : "Keep it"
        }}</BusyButton>
        <button type="button" class="btn" @click="emit('close')">Cancel</button>
      </div>
    </form>
  </DialogFrame>
</template>
