<script setup lang="ts">
import { Dialog, DialogPanel, DialogTitle } from "@headlessui/vue";
import { computed, ref, watch } from "vue";

import { useApplications, useCatalogue } from "@/api/queries";
import { many } from "@/parts/format";
import StageLabel from "@/parts/StageLabel.vue";

import { bringAs, bringing } from "./bringing";

const { data: applications } = useApplications();
const application = ref("");
const recordType = ref("");
const operation = ref("update");
const { data: catalogue } = useCatalogue(application);
watch(
  () => bringing.choosing,
  (choosing) => {
    const best = bringing.fits[0];
    if (!choosing) return;
    application.value = best?.application ?? applications.value?.[0]?.name ?? "";
    recordType.value = best?.record_type ?? "";
  },
);
const chosen = computed(() => applications.value?.find((a) => a.name === application.value));
const fitting = computed(() =>
  bringing.fits.find((f) => f.application === application.value && f.record_type === recordType.value),
);

function close(): void {
  bringing.open = false;
}
</script>

<template>
  <Dialog :open="bringing.open" class="relative z-50" @close="close">
    <div class="fixed inset-0 bg-ink/40" aria-hidden="true" />
    <div class="fixed inset-0 grid place-items-center p-6">
      <DialogPanel class="dialog">
        <DialogTitle as="h2" class="mb-2">{{ bringing.name }}</DialogTitle>
        <p
          v-if="bringing.trouble"
          class="mb-3 rounded border border-reject bg-reject-tint px-3 py-2 text-reject"
          role="alert"
        >
          {{ bringing.trouble }}
        </p>
        <form
          v-if="bringing.choosing"
          class="grid gap-3"
          @submit.prevent="bringAs(application, recordType, { operation, trip: 'new' })"
        >
          <p>
            This sheet belongs to no trip that is known here. {{ bringing.note }} It has
            {{ many(bringing.rows, "row", "rows") }}. What is it about?
          </p>
          <label
            ><span class="field-label">Application</span>
            <select v-model="application" class="input">
              <option v-for="a in applications" :key="a.name" :value="a.name">{{ a.label }} ({{ a.stage }})</option>
            </select></label
          >
          <label
            ><span class="field-label">Record type</span>
            <select v-model="recordType" class="input" required>
              <option v-for="t in catalogue?.types" :key="t.name" :value="t.name">{{ t.plural }}</option>
            </select>
            <span class="soft text-[13px]">{{
              fitting
                ? `${many(fitting.columns, "column is", "columns are")} known there`
                : "no column is known there by name"
            }}</span>
          </label>
          <label
            ><span class="field-label">Rows</span>
            <select v-model="operation" class="input">
              <option value="update">update what is there</option>
              <option value="upsert">update what is there, create the rest</option>
              <option value="create">create new records</option>
              <option value="delete">delete the records</option>
            </select></label
          >
          <div class="flex items-center gap-2">
            <button type="submit" class="btn go" :disabled="!recordType">Bring it in</button>
            <StageLabel v-if="chosen" :stage="chosen.stage" />
            <span class="soft text-[13px]">Nothing is written yet.</span>
          </div>
        </form>
        <template v-else-if="!bringing.trouble">
          <p class="soft" aria-live="polite">{{ bringing.says }}…</p>
          <progress class="mt-2 w-full" :value="bringing.share || undefined" aria-label="Progress" />
        </template>
        <button type="button" class="btn mt-3" @click="close">
          {{ bringing.trouble || bringing.choosing ? "Leave it" : "Go on in the background" }}
        </button>
      </DialogPanel>
    </div>
  </Dialog>
</template>
