<script setup lang="ts">
/** The one confirmation: what will be written, where, and how many. */
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";

import { api, data } from "@/api/client";
import { many, moment } from "@/parts/format";
import StageLabel from "@/parts/StageLabel.vue";
import AlertNote from "@/ui/AlertNote.vue";
import BusyButton from "@/ui/BusyButton.vue";
import DialogFrame from "@/ui/DialogFrame.vue";
import { useDoing } from "@/ui/doing";

import { useTripContext } from "../context";
import { sends } from "../absent/absent";
import { harmedCells } from "../damage";
import { following } from "./following";
import { momentOf, useSending } from "./sending";
import { stopAfter } from "./trouble";
import TroublePart from "./TroublePart.vue";
import WhatIsWritten from "./WhatIsWritten.vue";
import WhenPart from "./WhenPart.vue";

const { open, lift = "" } = defineProps<{
  open: boolean;
  /** Why it goes without the approval that it needs. */
  lift?: string;
}>();
const emit = defineEmits<{ close: [] }>();
const router = useRouter();
const { trip, refresh } = useTripContext();
const typed = ref("");
const seen = ref(0);
const sending = useSending(trip);
watch(
  () => open,
  (now) => {
    if (now) seen.value = trip.value.plan?.number ?? 0;
    forget();
    typed.value = "";
  },
);
const verdicts = computed(() => trip.value.summary?.verdicts ?? {});
const stays = computed(() => (verdicts.value.held ?? 0) + (verdicts.value.rejected ?? 0));
const harmed = computed(() => harmedCells(trip.value));
const off = computed(() => trip.value.expected.filter((one) => one.off));
const deletes = computed(() => (verdicts.value.delete ?? 0) + gone.value);
/** Records that go though the sheet does not have them, and rows that are written beside these. */
const gone = computed(() => trip.value.absent?.delete ?? 0);
const writes = computed(() => trip.value.to_write - gone.value);
const canBeAtomic = computed(() => trip.value.to_write > 1 && trip.value.to_write <= trip.value.most_atomic);
const after = computed(() => stopAfter(sending.value.trouble));
const at = computed(() => (lift ? null : momentOf(sending.value.at)));
const confirmed = computed(
  () =>
    after.value !== undefined && at.value !== undefined && (!deletes.value || typed.value === String(deletes.value)),
);

const { start, busy, error, forget } = useDoing(
  () => {
    const params = { path: { id: trip.value.id } };
    const body = {
      plan: seen.value,
      atomic: sending.value.trouble.how === "none",
      stop_after: after.value ?? null,
      take_back: sending.value.trouble.how === "back",
      at: at.value?.toISOString() ?? null,
      lift,
    };
    return data(api.POST("/api/trips/{id}/passes", { params, body }));
  },
  {
    done: () => {
      following.value = at.value ? null : { trip: trip.value.id, plan: seen.value };
      emit("close");
      return router.push({ name: "trip", params: { id: trip.value.id, station: "apply" } });
    },
    failed: () => {},
    after: () => refresh().catch(() => {}),
  },
);
function apply(): void {
  if (confirmed.value) start();
}
</script>

<template>
  <DialogFrame :open="open" @close="$emit('close')">
    <template #title><StageLabel :stage="trip.application.stage" />{{ trip.application.label }}</template>
    <p class="mb-3 text-lead">
      <template v-if="writes">{{ many(writes, "row", "rows") }} will be written to {{ trip.plural }}</template
      ><template v-if="gone"
        >{{ writes ? ", and " : "" }}{{ many(gone, "record", "records") }} that the sheet does not have deleted from
        them</template
      >
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
    <p v-if="harmed" class="mb-3 font-semibold text-held">
      {{ many(harmed, "cell looks", "cells look") }} damaged by a spreadsheet; File shows which, and puts them back.
    </p>
    <p v-if="off.length" class="mb-3 font-semibold text-held">
      Not as expected: {{ off.map((one) => one.what || "rows").join(", ") }}.
    </p>
    <p v-if="trip.weak" class="mb-3 font-semibold text-held">
      Not every record here carries a version. One without is read and compared just before it is written; what someone
      changes in that very moment is not noticed.
    </p>
    <TroublePart v-if="trip.to_write > 1" v-model="sending.trouble" :can-be-atomic="canBeAtomic" />
    <p v-if="lift" class="mb-3 font-semibold text-held">Without approval: {{ lift }}</p>
    <p v-else class="mb-3 flex items-center gap-2"><b>It is sent</b><WhenPart v-model="sending.at" /></p>
    <label v-if="deletes" class="mb-3 block"
      ><span class="field-label">Type {{ deletes }} to delete {{ many(deletes, "record", "records") }}</span
      ><input v-model="typed" class="input" inputmode="numeric"
    /></label>
    <AlertNote v-if="error" class="mb-3">{{ error.message }}</AlertNote>
    <div class="flex items-center gap-2">
      <BusyButton
        type="button"
        :class="trip.application.stage === 'live' ? 'warn' : 'go'"
        :busy="busy"
        :disabled="!confirmed"
        says="Starting…"
        data-testid="confirm"
        @click="apply"
      >
        {{ sends("Write", trip) }}{{ at ? ` ${moment(at.toISOString())}` : "" }}
      </BusyButton>
      <StageLabel :stage="trip.application.stage" />
      <button type="button" class="btn ml-auto" @click="$emit('close')">Not yet <kbd>Esc</kbd></button>
    </div>
  </DialogFrame>
</template>
