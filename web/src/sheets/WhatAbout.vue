<script setup lang="ts">
/** What a sheet from elsewhere is about: asked beside its cells, nothing dangerous chosen for the person. */
import { computed, watch } from "vue";

import type { Schemas } from "@/api/client";
import { useApplications, useCatalogue } from "@/api/queries";
import { many } from "@/parts/format";
import { OPERATIONS } from "@/parts/operations";
import StageLabel from "@/parts/StageLabel.vue";
import ChoiceList from "@/ui/ChoiceList.vue";

import type { About } from "./about";

const props = defineProps<{ about: About; known: Schemas["Known"]; disabled?: boolean }>();
/** Only what is said now: whoever keeps it lays it over what was said before, however lately. */
const emit = defineEmits<{ said: [Partial<About>] }>();
const { data: applications } = useApplications();

const say = (said: Partial<About>): void => {
  emit("said", said);
};
const fits = computed(() => props.known.fits ?? []);
/** The record types by how many of the sheet's columns they know, in the chosen application or in any. */
const likeliest = computed(() => {
  const here = fits.value.filter((fit) => !props.about.application || fit.application === props.about.application);
  return here[0] ?? fits.value[0];
});
watch(
  [applications, likeliest],
  ([all, fit]) => {
    const [only, other] = all ?? [];
    if (only && !other && !props.about.application) say({ application: only.name });
    if (fit && !props.about.recordType) say({ recordType: fit.record_type });
  },
  { immediate: true },
);
const { data: catalogue } = useCatalogue(
  computed(() => props.about.application || (likeliest.value?.application ?? applications.value?.[0]?.name ?? "")),
);
/** Until all are known, those that are likely: the sentence is not to move under a person's hand when the others come. */
const types = computed(() => {
  const columns = new Map(fits.value.map((fit) => [fit.record_type, fit.columns]));
  const likely = new Map(fits.value.map((fit) => [fit.record_type, { name: fit.record_type, plural: fit.plural }]));
  return (catalogue.value?.types ?? [...likely.values()])
    .map((type) => ({ value: type.name, label: type.plural, known: columns.get(type.name) ?? 0 }))
    .sort((a, b) => b.known - a.known)
    .map(({ value, label, known }) => ({ value, label, note: known ? many(known, "column", "columns") : "" }));
});
const places = computed(() => (applications.value ?? []).map((a) => ({ value: a.name, label: a.label })));
const chosen = computed(() => applications.value?.find((a) => a.name === props.about.application));
const why = computed(() => {
  const fit = fits.value.find((one) => one.record_type === props.about.recordType);
  if (!fits.value.length) return "No record type knows a column of it, by name or by its values.";
  if (!fit) return "No column is known there, by name or by its values.";
  const likeliest_ = fit.record_type === fits.value[0]?.record_type ? `${fit.plural} is likeliest: ` : "";
  const named = `${many(fit.columns, "column is", "columns are")} known there by name.`;
  return likeliest_ + (fit.columns || !fit.account ? named : fit.account);
});
</script>

<template>
  <section v-if="applications" class="card" data-testid="about">
    <p class="sentence">
      Rows of
      <ChoiceList
        as="part"
        label="Record type"
        empty="which records?"
        :model-value="about.recordType"
        :options="types"
        :disabled="disabled"
        @chosen="say({ recordType: $event })"
      />
      in
      <span class="inline-flex max-w-full">
        <ChoiceList
          as="part"
          label="Application"
          empty="which application?"
          :model-value="about.application"
          :options="places"
          :disabled="disabled"
          @chosen="say({ application: $event })"
        />,</span
      >
      to
      <ChoiceList
        as="part"
        label="What to do with the rows"
        :model-value="about.operation"
        :options="OPERATIONS"
        :disabled="disabled"
        @chosen="say({ operation: $event })"
      />.
    </p>
    <p v-if="chosen" class="mt-2 flex items-center gap-2">
      <StageLabel :stage="chosen.stage" /><span class="soft text-small">{{
        chosen.stage === "live" ? "these are the real records" : "not the real records"
      }}</span>
    </p>
  </section>
  <p v-if="applications" class="soft text-small">
    {{ why }} {{ known.account
    }}<template v-if="!chosen">
      The application, and whether it is <b>live</b> or <b>practice</b>, is yours to say.</template
    >
  </p>
  <div v-if="!chosen" class="flex flex-wrap gap-2">
    <button
      v-for="one in applications"
      :key="one.name"
      type="button"
      class="btn max-w-full"
      :disabled="disabled"
      :title="one.label"
      @click="say({ application: one.name })"
    >
      <StageLabel :stage="one.stage" /> <span class="truncate">{{ one.label }}</span>
    </button>
  </div>
</template>
