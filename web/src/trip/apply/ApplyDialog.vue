<script setup lang="ts">
/** The one confirmation: what will be written, where, and how many. */
import { Dialog, DialogPanel, DialogTitle } from "@headlessui/vue";
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";

import { api, data } from "@/api/client";
import { many } from "@/parts/format";
import StageLabel from "@/parts/StageLabel.vue";

import { useTripContext } from "../context";
import WhatIsWritten from "./WhatIsWritten.vue";

const props = defineProps<{ open: boolean }>();
const emit = defineEmits<{ close: [] }>();
const router = useRouter();
const { trip, refresh } = useTripContext();
const busy = ref(false);
const trouble = ref("");
const typed = ref("");
const seen = ref(0);
const atomic = ref(false);
watch(
  () => props.open,
  (open) => {
    if (open) seen.value = trip.value.plan?.number ?? 0;
    atomic.value = false;
    trouble.value = "";
    typed.value = "";
  },
);
const verdicts = computed(() => (trip.value.summary as { verdicts: Record<string, number> }).verdicts);
const stays = computed(() => (verdicts.value.held ?? 0) + (verdicts.value.rejected ?? 0));
const deletes = computed(() => verdicts.value.delete ?? 0);
const canBeAtomic = computed(() => trip.value.to_write > 1 && trip.value.to_write <= trip.value.most_atomic);
const confirmed = computed(() => !deletes.value || typed.value === String(deletes.value));

async function apply(): Promise<void> {
  if (busy.value || !confirmed.value) return;
  busy.value = true;
  trouble.value = "";
  try {
    await data(
      api.POST("/api/trips/{id}/passes", {
        params: { path: { id: trip.value.id } },
        body: { plan: seen.value, atomic: atomic.value },
      }),
    );
    await refresh();
    emit("close");
    await router.push({ name: "trip", params: { id: trip.value.id, station: "apply" } });
  } catch (error) {
    trouble.value = error instanceof Error ? error.message : String(error);
    await refresh().catch(() => {});
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <Dialog :open="open" class="relative z-50" @close="$emit('close')">
    <div class="fixed inset-0 bg-ink/40" aria-hidden="true" />
    <div class="fixed inset-0 grid place-items-center p-6">
      <DialogPanel class="dialog">
        <DialogTitle as="h2" class="mb-1 flex items-center gap-3 !text-[17px]"
          ><StageLabel :stage="trip.application.stage" />{{ trip.application.label }}</DialogTitle
        >
        <p class="mb-3 text-[15px]">
          {{ many(trip.to_write, "row", "rows") }} will be written to {{ trip.plural }}
          {{
            trip.application.stage === "live"
              ? "of the live application: these are the real records."
              : "of the practice set."
          }}
        </p>
        <WhatIsWritten class="mb-3" />
        <p v-if="stays" class="soft mb-3">
          {{ many(stays, "row that is held or rejected stays", "rows that are held or rejected stay") }} where
          {{ stays === 1 ? "it is" : "they are" }} and can follow in another pass.
        </p>
        <p v-if="trip.weak" class="mb-3 font-semibold text-held">
          This application keeps no versions. Every record is read and compared just before it is written; what someone
          changes in that very moment is not noticed.
        </p>
        <label v-if="canBeAtomic" class="mb-3 flex items-start gap-2"
          ><input v-model="atomic" type="checkbox" class="mt-1" /><span
            >All or nothing: if one row is refused, none is written</span
          ></label
        >
        <label v-if="deletes" class="mb-3 block"
          ><span class="field-label">Type {{ deletes }} to delete {{ many(deletes, "record", "records") }}</span
          ><input v-model="typed" class="input" inputmode="numeric"
        /></label>
        <p v-if="trouble" class="mb-3 rounded border border-reject bg-reject-tint px-3 py-2 text-reject" role="alert">
          {{ trouble }}
        </p>
        <div class="flex items-center gap-2">
          <button
            type="button"
            class="btn"
            :class="trip.application.stage === 'live' ? 'warn' : 'go'"
            :disabled="busy || !confirmed"
            data-testid="confirm"
            @click="apply"
          >
            {{ busy ? "Starting…" : `Write ${many(trip.to_write, "row", "rows")}` }}
          </button>
          <StageLabel :stage="trip.application.stage" />
          <button type="button" class="btn ml-auto" @click="$emit('close')">Not yet <kbd>Esc</kbd></button>
        </div>
      </DialogPanel>
    </div>
  </Dialog>
</template>
