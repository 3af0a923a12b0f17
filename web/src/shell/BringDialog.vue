<script setup lang="ts">
import { computed, ref, watch } from "vue";

import { useApplications, useCatalogue } from "@/api/queries";
import { many } from "@/parts/format";
import StageLabel from "@/parts/StageLabel.vue";
import AlertNote from "@/ui/AlertNote.vue";
import ChoiceList from "@/ui/ChoiceList.vue";
import DialogFrame from "@/ui/DialogFrame.vue";

import { bringAs, bringing } from "./bringing";

const { data: applications } = useApplications();
const application = ref("");
const recordType = ref("");
const operation = ref("update");
const { data: catalogue } = useCatalogue(application);
// Whose records a sheet is about, and whether they are the real ones, is for the person to say.
watch(
  () => bringing.choosing,
  (choosing) => {
    const [only, other] = applications.value ?? [];
    if (choosing) application.value = only && !other ? only.name : "";
  },
);
watch(application, (name) => {
  recordType.value = bringing.fits.find((fit) => fit.application === name)?.record_type ?? "";
});
const chosen = computed(() => applications.value?.find((a) => a.name === application.value));
const fitting = computed(() =>
  bringing.fits.find((f) => f.application === application.value && f.record_type === recordType.value),
);
const stageOf = (name: string): string => applications.value?.find((a) => a.name === name)?.stage ?? "practice";
const places = computed(() => (applications.value ?? []).map((a) => ({ value: a.name, label: a.label })));
const types = computed(() => (catalogue.value?.types ?? []).map((t) => ({ value: t.name, label: t.plural })));
const OPERATIONS = [
  { value: "update", label: "update what is there" },
  { value: "upsert", label: "update what is there, create the rest" },
  { value: "create", label: "create new records" },
  { value: "delete", label: "delete the records" },
];

function close(): void {
  bringing.open = false;
}
</script>

<template>
  <DialogFrame :open="bringing.open" :title="bringing.name" @close="close">
    <AlertNote v-if="bringing.trouble" class="mb-3">{{ bringing.trouble }}</AlertNote>
    <form
      v-if="bringing.choosing"
      class="grid gap-3"
      @submit.prevent="bringAs(application, recordType, { operation, trip: 'new' })"
    >
      <template v-if="bringing.likely.length">
        <p>It is not certain where this sheet belongs. Does it come back from one of these trips?</p>
        <button
          v-for="one in bringing.likely"
          :key="one.trip"
          type="button"
          class="btn !h-auto justify-between !py-2 text-left !whitespace-normal"
          data-testid="likely"
          @click="bringAs(one.application, one.record_type, { trip: String(one.trip) })"
        >
          <span
            >{{ one.title }}<span class="soft block text-small font-normal">{{ one.account }}</span></span
          >
          <StageLabel :stage="stageOf(one.application)" />
        </button>
        <p>Or is it a sheet from elsewhere? Then say what it is about.</p>
      </template>
      <p v-else>
        This sheet belongs to no trip that is known here. {{ bringing.note }} It has
        {{ many(bringing.rows, "row", "rows") }}. What is it about?
      </p>
      <div>
        <span class="field-label">Application</span>
        <ChoiceList v-model="application" label="Application" empty="Whose records are these?" :options="places" />
      </div>
      <div>
        <span class="field-label">Record type</span>
        <ChoiceList v-model="recordType" label="Record type" :options="types" :disabled="!application" />
        <span v-if="application" class="soft text-small">{{
          fitting
            ? `${many(fitting.columns, "column is", "columns are")} known there`
            : "no column is known there by name"
        }}</span>
      </div>
      <div>
        <span class="field-label">Rows</span>
        <ChoiceList v-model="operation" label="What to do with the rows" :options="OPERATIONS" />
      </div>
      <div class="flex items-center gap-2">
        <button type="submit" class="btn go" :disabled="!recordType">Bring it in</button>
        <StageLabel v-if="chosen" :stage="chosen.stage" />
        <span class="soft text-small">Nothing is written yet.</span>
      </div>
    </form>
    <template v-else-if="!bringing.trouble">
      <p class="soft" aria-live="polite">{{ bringing.says }}…</p>
      <progress class="mt-2 w-full" :value="bringing.share || undefined" aria-label="Progress" />
    </template>
    <button type="button" class="btn mt-3" @click="close">
      {{ bringing.trouble || bringing.choosing ? "Leave it" : "Go on in the background" }}
    </button>
  </DialogFrame>
</template>
