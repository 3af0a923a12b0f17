<script setup lang="ts">
/** The trip that a sheet is known to belong to, and by what. */
import type { Schemas } from "@/api/client";
import { useApplications } from "@/api/queries";
import StageLabel from "@/parts/StageLabel.vue";

import type { Place } from "./about";

const props = defineProps<{ known: Schemas["Known"]; busy: boolean; says: string; disabled?: boolean }>();
const emit = defineEmits<{ choose: [place: Place]; other: [] }>();
const { data: applications } = useApplications();
const stageOf = (name = ""): string => applications.value?.find((a) => a.name === name)?.stage ?? "practice";
function choose(): void {
  const { application = "", record_type: recordType = "", trip } = props.known;
  emit("choose", { application, recordType, trip: String(trip) });
}
</script>

<template>
  <h2>This is a sheet of “{{ known.title }}”</h2>
  <section class="card">
    <StageLabel :stage="stageOf(known.application)" />
    <p class="mt-1">Known: {{ known.account }}.</p>
    <p v-if="busy" class="soft mt-1" aria-live="polite">{{ says || "bringing it in" }}…</p>
  </section>
  <template v-if="!busy && !disabled">
    <button type="button" class="btn go" @click="choose">Bring it in on trip {{ known.trip }}</button>
    <button type="button" class="btn" @click="$emit('other')">It is another sheet…</button>
  </template>
</template>
