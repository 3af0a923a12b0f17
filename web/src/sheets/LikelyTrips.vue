<script setup lang="ts">
/** The trips that a sheet may come back from, and what speaks for each. */
import type { Schemas } from "@/api/client";
import { useApplications } from "@/api/queries";
import StageLabel from "@/parts/StageLabel.vue";

import type { Place } from "./about";

defineProps<{ likely: Schemas["Likely"][]; disabled?: boolean }>();
const emit = defineEmits<{ choose: [place: Place] }>();
const { data: applications } = useApplications();
const stageOf = (name: string): string => applications.value?.find((a) => a.name === name)?.stage ?? "practice";
</script>

<template>
  <p>It may come back from one of these trips:</p>
  <button
    v-for="one in likely"
    :key="one.trip"
    type="button"
    class="btn !h-auto justify-between !py-2 text-left !whitespace-normal"
    data-testid="likely"
    :disabled="disabled"
    @click="emit('choose', { application: one.application, recordType: one.record_type, trip: String(one.trip) })"
  >
    <span>{{ one.title }}<span class="soft block text-small font-normal">{{ one.account }}</span></span>
    <StageLabel :stage="stageOf(one.application)" />
  </button>
</template>
