<script setup lang="ts">
/** What guards do on the trips of a route, where that is otherwise than on its application's. */
import { computed } from "vue";

import { api, data, queryClient, type Route } from "@/api/client";
import { useMay, useRouteGuards } from "@/api/queries";
import { useDoing } from "@/ui/doing";

import GuardList from "./GuardList.vue";
import type { Said } from "./guards";

const props = defineProps<{ route: Route }>();
defineEmits<{ close: [] }>();
const mayConnect = useMay("connect");
const { data: guards } = useRouteGuards(computed(() => props.route.id));
const { busy, start } = useDoing(
  (said: Said) =>
    data(api.PUT("/api/routes/{id}/guards", { params: { path: { id: props.route.id } }, body: { said } })),
  { after: () => queryClient.invalidateQueries({ queryKey: ["guards"] }) },
);
</script>

<template>
  <section class="flex max-h-[55%] flex-none flex-col border-t-2 border-rule-strong bg-panel" aria-label="Guards">
    <div class="tools">
      <h2>Guards of {{ route.name }}</h2>
      <span class="soft text-small">what is not set here is as {{ route.label }} has it</span>
      <button type="button" class="btn sm ml-auto" @click="$emit('close')">Close</button>
    </div>
    <div class="min-h-0 overflow-auto" tabindex="0" role="region" aria-label="Guards of the route">
      <GuardList v-if="guards" :guards="guards" :may-change="mayConnect" :busy="busy" of="this route" @set="start" />
    </div>
  </section>
</template>
