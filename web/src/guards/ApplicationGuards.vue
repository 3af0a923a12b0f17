<script setup lang="ts">
/** What guards do on the trips of an application. */
import { computed } from "vue";

import { api, data, queryClient } from "@/api/client";
import { useGuards, useMay } from "@/api/queries";
import { useDoing } from "@/ui/doing";

import GuardList from "./GuardList.vue";
import type { Said } from "./guards";

const props = defineProps<{ name: string; label: string }>();
const mayConnect = useMay("connect");
const { data: guards } = useGuards(computed(() => props.name));
const { busy, start } = useDoing(
  (said: Said) =>
    data(api.PUT("/api/applications/{name}/guards", { params: { path: { name: props.name } }, body: { said } })),
  { after: () => queryClient.invalidateQueries({ queryKey: ["guards"] }) },
);
</script>

<template>
  <div class="min-h-0 flex-1 overflow-auto" tabindex="0" role="region" aria-label="Guards">
    <p class="soft px-4 py-2 text-small">
      Checks on every trip to {{ label }}, before anything is written. A route can have its own. Records that the sheet
      does not have, and columns that are asked about, always wait for an answer.
    </p>
    <GuardList v-if="guards" :guards="guards" :may-change="mayConnect" :busy="busy" :of="label" @set="start" />
  </div>
</template>
