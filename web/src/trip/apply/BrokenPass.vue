<script setup lang="ts">
/** A pass that has not ended and is not under way: it goes on where it was, or is given up. */
import { api, data, type Schemas } from "@/api/client";
import StageLabel from "@/parts/StageLabel.vue";
import { useDoing } from "@/ui/doing";

import { useTripContext } from "../context";
import ApprovalCard from "./ApprovalCard.vue";
import { following } from "./following";
import { unapproved } from "./unapproved";

const props = defineProps<{ pass: Schemas["Pass"] }>();
const { trip, refresh } = useTripContext();
const ending = useDoing(
  ({ what, lift = "" }: { what: "go on" | "give up"; lift?: string }) => {
    const path = { id: trip.value.id, number: props.pass.number };
    following.value = { trip: trip.value.id, plan: props.pass.plan };
    return data(api.POST("/api/trips/{id}/passes/{number}", { params: { path }, body: { do: what, lift } }));
  },
  { done: refresh },
);
</script>

<template>
  <section class="card max-w-2xl">
    <h2 class="flex items-center gap-3">
      <StageLabel :stage="trip.application.stage" />Pass {{ pass.number }}
      {{ pass.state === "paused" ? "is paused" : "broke off" }}
    </h2>
    <p v-if="pass.reason" class="mt-1 font-semibold text-held">{{ pass.reason }}</p>
    <p class="mt-1">
      What was sent is written down. If it goes on, it sends exactly what was confirmed, and rows without an answer are
      settled first: nothing is written twice. If it is given up, what is in stays in, rows in doubt end unclear, and
      the rest is not sent.
    </p>
    <div class="mt-3 flex gap-2">
      <button
        type="button"
        class="btn go"
        :disabled="ending.busy.value || !trip.application.may_apply || unapproved(trip)"
        data-testid="go-on"
        @click="ending.start({ what: 'go on' })"
      >
        Go on where it was
      </button>
      <button
        type="button"
        class="btn"
        :disabled="ending.busy.value || !trip.application.may_apply"
        data-testid="give-up"
        @click="ending.start({ what: 'give up' })"
      >
        Give it up
      </button>
    </div>
  </section>
  <ApprovalCard class="mt-4 max-w-2xl" @lift="ending.start({ what: 'go on', lift: $event })" />
</template>
