<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";

import { api, data } from "@/api/client";
import { count, fullTime, many } from "@/parts/format";
import StageLabel from "@/parts/StageLabel.vue";
import BusyButton from "@/ui/BusyButton.vue";
import { useDoing } from "@/ui/doing";

import { useTripContext } from "../context";
import ApprovalCard from "./ApprovalCard.vue";
import { unapproved } from "./unapproved";
import { sends } from "../absent/absent";
import OpenList from "../OpenList.vue";
import WholePlan from "../pictures/WholePlan.vue";
import { usePlanAgain } from "../planning";
import ApplyDialog from "./ApplyDialog.vue";
import { following } from "./following";
import WhatIsWritten from "./WhatIsWritten.vue";

defineEmits<{ bring: []; choose: [string] }>();
const router = useRouter();
const { trip, refresh } = useTripContext();
const confirming = ref(false);
const job = computed(() => (trip.value.job?.kind === "apply" ? trip.value.job : null));
/** States of a pass that has not ended. */
const OPEN = new Set(["running", "interrupted"]);
const broken = computed(() => (job.value ? undefined : trip.value.passes.find((one) => OPEN.has(one.state))));
const stale = computed(() => !!trip.value.plan && !trip.value.plan.current);
const began = ref({ at: 0, done: 0 });
const rate = ref(0);
watch(
  () => job.value?.done,
  (done = 0, before) => {
    if (before === undefined || began.value.at === 0) began.value = { at: performance.now(), done };
    else if (performance.now() > began.value.at)
      rate.value = ((done - began.value.done) * 1000) / (performance.now() - began.value.at);
  },
);
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
const left = computed(() =>
  rate.value > 0 && job.value ? Math.ceil(((job.value.total ?? 0) - (job.value.done ?? 0)) / rate.value) : null,
);
const canApply = computed(
  () =>
    trip.value.to_write > 0 &&
    !!trip.value.plan?.current &&
    !trip.value.job &&
    trip.value.application.may_apply &&
    !unapproved(trip.value) &&
    !trip.value.open.some((item) => item.stops),
);
const { planAgain, busy: planning } = usePlanAgain();
const toReview = (state: string, why: string) =>
  router.push({ name: "trip", params: { id: trip.value.id, station: "review" }, query: { state, why } });

const total = (one: { totals: Record<string, number> | null }, ...names: string[]): number =>
  names.reduce((sum, name) => sum + (one.totals?.[name] ?? 0), 0);

const stopping = useDoing(async (id: number) => data(api.DELETE("/api/jobs/{id}", { params: { path: { id } } })));
const ending = useDoing(
  (what: "go on" | "give up") => {
    const path = { id: trip.value.id, number: broken.value?.number ?? 0 };
    if (broken.value) following.value = { trip: trip.value.id, plan: broken.value.plan };
    return data(api.POST("/api/trips/{id}/passes/{number}", { params: { path }, body: { do: what } }));
  },
  { done: refresh },
);
</script>

<template>
  <div class="work">
    <div class="main overflow-auto p-6">
      <section v-if="job" class="card max-w-2xl" aria-live="polite">
        <h2 class="flex items-center gap-3">
          <StageLabel :stage="trip.application.stage" />Writing to {{ trip.application.label }}
        </h2>
        <p class="mt-3 text-large font-bold">
          <span class="mono">{{ count(job.done) }}</span> of <span class="mono">{{ count(job.total) }}</span> rows
        </p>
        <progress
          class="mt-2 h-4 w-full"
          :value="job.total ? job.done! / job.total : undefined"
          aria-label="Rows written"
        />
        <p class="soft mt-2">
          {{ job.message || "starting" }}<template v-if="rate"> · {{ count(Math.round(rate)) }} rows a second</template
          ><template v-if="left != null"> · about {{ many(left, "second", "seconds") }} left</template>
        </p>
        <p class="soft mt-1">
          You can leave this page; the work goes on. A broken pass goes on where it was and writes nothing twice.
        </p>
        <BusyButton
          v-if="trip.application.may_apply"
          type="button"
          class="mt-3"
          :busy="stopping.busy.value"
          :disabled="job.wanted === 'stop'"
          @click="stopping.start(job.id)"
        >
          {{ job.wanted === "stop" ? "Stopping after this batch…" : "Stop after this batch" }}
        </BusyButton>
      </section>
      <section v-else-if="broken" class="card max-w-2xl">
        <h2 class="flex items-center gap-3">
          <StageLabel :stage="trip.application.stage" />Pass {{ broken.number }} broke off
        </h2>
        <p v-if="broken.reason" class="mt-1 font-semibold text-held">{{ broken.reason }}</p>
        <p class="mt-1">
          What was sent is written down. If it goes on, it sends exactly what was confirmed, and rows without an answer
          are settled first: nothing is written twice. If it is given up, what is in stays in, rows in doubt end
          unclear, and the rest is not sent.
        </p>
        <div class="mt-3 flex gap-2">
          <button
            type="button"
            class="btn go"
            :disabled="ending.busy.value || !trip.application.may_apply"
            data-testid="go-on"
            @click="ending.start('go on')"
          >
            Go on where it was
          </button>
          <button
            type="button"
            class="btn"
            :disabled="ending.busy.value || !trip.application.may_apply"
            data-testid="give-up"
            @click="ending.start('give up')"
          >
            Give it up
          </button>
        </div>
      </section>
      <div
        v-else-if="trip.to_write && trip.plan?.current"
        class="grid items-start gap-4 lg:grid-cols-[minmax(0,42rem)_minmax(18rem,28rem)]"
      >
        <div class="grid gap-4">
          <ApprovalCard />
          <section class="card">
            <h2 class="flex items-center gap-3">
              <StageLabel :stage="trip.application.stage" />{{ sends("Write", trip) }}
            </h2>
            <p class="mt-1">
              Nothing has been written by this plan yet. Where someone changed the same field, a check or the key since
              it was reviewed, the row is refused, not overwritten.
            </p>
            <p v-if="trip.weak" class="mt-2 font-semibold text-held">
              Not every record here carries a version. One without is read and compared just before it is written; what
              someone changes in that very moment is not noticed.
            </p>
            <WhatIsWritten rows-only class="mt-3" />
            <OpenList class="mt-3 border border-rule" @choose="toReview" />
            <p v-if="!trip.application.may_apply" class="mt-2 font-semibold text-held">
              Writing to {{ trip.application.label }} needs an operator.
            </p>
            <button type="button" class="btn go mt-3" :disabled="!canApply" @click="confirming = true">
              {{ sends("Apply", trip) }}…
            </button>
          </section>
        </div>
        <WholePlan />
      </div>
      <section v-else class="card max-w-2xl">
        <h2>
          {{
            trip.sent_by
              ? "What was confirmed has been sent."
              : stale
                ? "The plan no longer counts."
                : "There is nothing to write."
          }}
        </h2>
        <p class="mt-1">
          {{
            trip.sent_by
              ? "Outcome shows what became of each row."
              : stale
                ? "Something was changed since it was made. Plan again, look at Review, then apply."
                : trip.plan
                  ? "No row of the plan changes anything. Review shows why."
                  : "The trip has no plan yet; the stations before this one say what is missing."
          }}
        </p>
        <BusyButton v-if="stale && !trip.sent_by" type="button" class="go mt-3" :busy="planning" @click="planAgain()">
          Plan again
        </BusyButton>
        <RouterLink
          v-else
          class="btn mt-3"
          :to="{ name: 'trip', params: { id: trip.id, station: trip.sent_by ? 'outcome' : 'review' } }"
          >{{ trip.sent_by ? "To Outcome" : "To Review" }}</RouterLink
        >
      </section>
      <table v-if="trip.passes.length" class="plain-table mt-5 max-w-2xl">
        <caption class="mb-1 text-left font-bold">
          This trip, pass by pass
        </caption>
        <thead>
          <tr>
            <th>Pass</th>
            <th>Plan</th>
            <th>Began</th>
            <th>By</th>
            <th>Rows</th>
            <th>In</th>
            <th>Refused</th>
            <th>Unclear</th>
            <th>State</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in trip.passes" :key="one.number">
            <td class="mono">{{ one.number }}</td>
            <td class="mono">{{ one.plan }}</td>
            <td>{{ fullTime(one.started_at) }}</td>
            <td>{{ one.by.name }}</td>
            <td class="mono">{{ count(one.rows) }}</td>
            <td class="mono">{{ count(total(one, "created", "updated", "deleted")) }}</td>
            <td class="mono">{{ count(total(one, "refused")) }}</td>
            <td class="mono">{{ count(total(one, "unclear")) }}</td>
            <td>{{ one.state }}</td>
          </tr>
        </tbody>
      </table>
    </div>
  </div>
  <ApplyDialog :open="confirming" @close="confirming = false" />
</template>
