<script setup lang="ts">
/** A pass that is being sent: how far it is, how fast, what was refused so far; it can be paused or stopped. */
import { computed, ref, watch } from "vue";

import { api, data, type Schemas } from "@/api/client";
import { count, many } from "@/parts/format";
import StageLabel from "@/parts/StageLabel.vue";
import BusyButton from "@/ui/BusyButton.vue";
import { useDoing } from "@/ui/doing";

import { useTripContext } from "../context";

const props = defineProps<{ job: Schemas["Job"] }>();
const { trip } = useTripContext();
const began = ref({ at: 0, done: 0 });
const rate = ref(0);
watch(
  () => props.job.done,
  (done = 0, before) => {
    if (before === undefined || began.value.at === 0) began.value = { at: performance.now(), done };
    else if (performance.now() > began.value.at)
      rate.value = ((done - began.value.done) * 1000) / (performance.now() - began.value.at);
  },
);
const left = computed(() =>
  rate.value > 0 ? Math.ceil(((props.job.total ?? 0) - (props.job.done ?? 0)) / rate.value) : null,
);
const says = computed(() => props.job.message || "starting");
const stopping = useDoing(async (id: number) => data(api.DELETE("/api/jobs/{id}", { params: { path: { id } } })));
const pausing = useDoing(async (id: number) =>
  data(api.POST("/api/jobs/{id}", { params: { path: { id } }, body: { want: "pause" } })),
);
const wanted = computed(() => props.job.wanted ?? "run");
</script>

<template>
  <section class="card max-w-2xl" aria-live="polite">
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
      <span :class="{ 'font-semibold text-reject': says.includes('refused') }" data-testid="refusals">{{ says }}</span
      ><template v-if="rate"> · {{ count(Math.round(rate)) }} rows a second</template
      ><template v-if="left != null"> · about {{ many(left, "second", "seconds") }} left</template>
    </p>
    <p class="soft mt-1">
      You can leave this page; the work goes on. A broken pass goes on where it was and writes nothing twice.
    </p>
    <div v-if="trip.application.may_apply" class="mt-3 flex gap-2">
      <BusyButton
        type="button"
        :busy="pausing.busy.value"
        :disabled="wanted !== 'run'"
        data-testid="pause"
        @click="pausing.start(job.id)"
      >
        {{ wanted === "pause" ? "Pausing after this batch…" : "Pause after this batch" }}
      </BusyButton>
      <BusyButton
        type="button"
        :busy="stopping.busy.value"
        :disabled="wanted === 'stop'"
        @click="stopping.start(job.id)"
      >
        {{ wanted === "stop" ? "Stopping after this batch…" : "Stop after this batch" }}
      </BusyButton>
    </div>
  </section>
</template>
