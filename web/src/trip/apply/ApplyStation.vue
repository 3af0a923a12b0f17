<script setup lang="ts">
/** What is to be written, as a sentence whose parts can be changed; what it does; and what binds it. */
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";

import StageLabel from "@/parts/StageLabel.vue";

import { sends } from "../absent/absent";
import { useTripContext } from "../context";
import OpenList from "../OpenList.vue";
import WholePlan from "../pictures/WholePlan.vue";
import ApplyDialog from "./ApplyDialog.vue";
import BrokenPass from "./BrokenPass.vue";
import { following } from "./following";
import NothingToApply from "./NothingToApply.vue";
import PassesTable from "./PassesTable.vue";
import RefusalsPart from "./RefusalsPart.vue";
import RunningPass from "./RunningPass.vue";
import { useSending } from "./sending";
import { unapproved } from "./unapproved";
import WhatBinds from "./WhatBinds.vue";
import WhatIsWritten from "./WhatIsWritten.vue";
import WhenPart from "./WhenPart.vue";

defineEmits<{ bring: []; choose: [string] }>();
const router = useRouter();
const { trip, refresh } = useTripContext();
const confirming = ref(false);
/** Why it may go without the approval that it needs. */
const lifted = ref("");
const sending = useSending(trip);
const job = computed(() => (trip.value.job?.kind === "apply" ? trip.value.job : null));
/** States of a pass that has not ended. */
const OPEN = new Set(["running", "interrupted", "paused"]);
const broken = computed(() => (job.value ? undefined : trip.value.passes.find((one) => OPEN.has(one.state))));
const toOutcome = () => {
  following.value = null;
  void router.push({ name: "trip", params: { id: trip.value.id, station: "outcome" } });
};
watch(job, (now, before) => {
  if (before && !now)
    void refresh().then(() => {
      if (!broken.value) toOutcome();
    });
});
watch(
  () => {
    const own = following.value?.trip === trip.value.id && !job.value ? following.value : null;
    return own && trip.value.passes.some((one) => one.plan === own.plan && !OPEN.has(one.state));
  },
  (ended) => {
    if (ended) toOutcome();
  },
  { immediate: true },
);
const canApply = computed(
  () =>
    !trip.value.job &&
    trip.value.application.may_apply &&
    !trip.value.needs_token &&
    !trip.value.open.some((item) => item.stops),
);
/** Why it cannot go now, beside the button. */
const after = computed(() => {
  if (!trip.value.application.may_apply) return `Writing to ${trip.value.application.label} needs an operator.`;
  if (trip.value.needs_token) return "after you gave a token of your own";
  if (trip.value.open.some((item) => item.stops)) return "after what is open was answered";
  return unapproved(trip.value) && !sending.value.at ? "after it was approved" : "";
});
const atomic = computed(() => trip.value.to_write > 1 && trip.value.to_write <= trip.value.most_atomic);
const toReview = (state: string, why: string) =>
  router.push({ name: "trip", params: { id: trip.value.id, station: "review" }, query: { state, why } });
function lift(why: string): void {
  lifted.value = why;
  confirming.value = true;
}
</script>

<template>
  <div class="work">
    <div class="main overflow-auto p-6" tabindex="0" role="region" aria-label="Apply">
      <RunningPass v-if="job" :job="job" />
      <BrokenPass v-else-if="broken" :pass="broken" />
      <div
        v-else-if="trip.to_write && trip.plan?.current"
        class="grid items-start gap-5 lg:grid-cols-[minmax(0,1fr)_20rem]"
      >
        <div class="grid min-w-0 gap-4">
          <p class="text-large leading-9" data-testid="sentence">
            <b>{{ sends("Write", trip) }}</b> {{ /delete/i.test(sends("Write", trip)) ? "of" : "to" }}
            {{ trip.plural }} of
            <StageLabel :stage="trip.application.stage" class="mx-1 inline-block align-middle" />
            <b>{{ trip.application.label }}</b> <WhenPart v-model="sending.at" /><template v-if="trip.to_write > 1"
              >, and where it refuses a row,
              <RefusalsPart v-model="sending.trouble" :can-be-atomic="atomic" /></template
            >.
          </p>
          <OpenList class="border border-rule" @choose="toReview" />
          <WhatIsWritten rows-only />
          <p class="soft">
            Each write names the version of its record that was seen: what someone changes meanwhile is refused, not
            overwritten.
          </p>
          <p v-if="trip.weak" class="font-semibold text-held">
            Not every record here carries a version. One without is read and compared just before it is written; what
            someone changes in that very moment is not noticed.
          </p>
          <p class="flex flex-wrap items-center gap-3">
            <button
              type="button"
              class="btn go"
              :disabled="!canApply || (unapproved(trip) && !sending.at)"
              data-testid="to-confirm"
              @click="((lifted = ''), (confirming = true))"
            >
              {{ sends("Apply", trip) }}…
            </button>
            <StageLabel :stage="trip.application.stage" />
            <b v-if="after" class="text-held">{{ after }}</b>
          </p>
          <WholePlan />
        </div>
        <WhatBinds @lift="lift" />
      </div>
      <NothingToApply v-else />
      <PassesTable class="mt-5" />
    </div>
  </div>
  <ApplyDialog :open="confirming" :lift="lifted" @close="confirming = false" />
</template>
