<script setup lang="ts">
/** The approval that a plan needs: asked for, given by somebody else, or sent back with a word. */
import { computed, ref, watch } from "vue";

import { api, data } from "@/api/client";
import { useSession } from "@/api/queries";
import BusyButton from "@/ui/BusyButton.vue";
import { useDoing } from "@/ui/doing";

import { useTripContext } from "../context";

const emit = defineEmits<{ lift: [string] }>();
const { trip, mayPrepare, refresh } = useTripContext();
const { data: session } = useSession();
const approval = computed(() => trip.value.approval);
const words = ref("");
watch(
  () => approval.value?.state,
  () => (words.value = ""),
);
const name = (who: { name: string; username: string } | null | undefined): string =>
  who ? (who.username === session.value?.person?.username ? "you" : who.name) : "";
const { start, busy, error } = useDoing(
  (what: "ask" | "approve" | "send back") => {
    const params = { path: { id: trip.value.id } };
    const body = { plan: trip.value.plan?.number ?? 0, do: what, words: words.value.trim() };
    return data(api.POST("/api/trips/{id}/approval", { params, body }));
  },
  { failed: () => {}, after: refresh },
);
/** A pass of this plan has not ended: it waits for the approval. */
const waits = computed(() => trip.value.passes.some((one) => one.plan === trip.value.plan?.number && !one.ended_at));
const asks = computed(() => approval.value?.state !== "asked" && approval.value?.state !== "approved");
</script>

<template>
  <section v-if="approval?.why" class="card" data-testid="approval" aria-label="Approval">
    <h2>Approval</h2>
    <p class="mt-1">{{ approval.why }}</p>
    <p v-if="approval.state === 'approved'" class="mt-2 font-semibold text-create">
      Approved by {{ name(approval.by) }}{{ approval.word ? `: ${approval.word}` : "" }}. Any change makes another plan,
      which is asked about anew.
    </p>
    <p v-else-if="approval.state === 'asked'" class="mt-2 font-semibold text-held">
      {{ name(approval.asked_by) === "you" ? "You ask" : `${name(approval.asked_by)} asks` }} for its approval{{
        approval.note ? `: ${approval.note}` : ""
      }}.
    </p>
    <p v-else-if="approval.state === 'sent back'" class="mt-2 font-semibold text-reject">
      Sent back by {{ name(approval.by) }}: {{ approval.word }}
    </p>
    <p v-if="approval.state !== 'approved' && approval.others.length" class="soft mt-1">
      Who could: {{ approval.others.slice(0, 4).join(", ") }}{{ approval.others.length > 4 ? " and others" : "" }}.
    </p>
    <form v-if="approval.may_lift" class="mt-3 grid gap-2" @submit.prevent="words.trim() && emit('lift', words.trim())">
      <p class="font-semibold text-held">
        Nobody else may apply this trip, so nobody could approve it. An administrator may let this one pass go without;
        the journal and the receipt keep why.
      </p>
      <label class="grid gap-1"
        ><span class="field-label">Why</span
        ><input v-model="words" class="input" name="lift" autocomplete="off" maxlength="1000"
      /></label>
      <p>
        <button type="submit" class="btn" :disabled="!words.trim()" data-testid="lift">Go without approval…</button>
      </p>
    </form>
    <form
      v-else-if="
        (trip.plan?.current || waits) && ((asks && mayPrepare) || (approval.state === 'asked' && approval.may_approve))
      "
      class="mt-3 grid gap-2"
      @submit.prevent="start(asks ? 'ask' : 'approve')"
    >
      <label class="grid gap-1"
        ><span class="field-label">{{ asks ? "What is it about" : "A word" }}</span
        ><input v-model="words" class="input" name="words" autocomplete="off" maxlength="1000"
      /></label>
      <p v-if="error" class="font-semibold text-reject" role="alert">{{ error.message }}</p>
      <p class="flex gap-2">
        <BusyButton v-if="asks" class="go" :busy="busy" data-testid="ask-approval">Ask for approval</BusyButton>
        <template v-else>
          <BusyButton class="go" :busy="busy" data-testid="approve">Approve this plan</BusyButton>
          <button
            type="button"
            class="btn"
            :disabled="busy || !words.trim()"
            data-testid="send-back"
            @click="start('send back')"
          >
            Send it back
          </button>
        </template>
      </p>
    </form>
  </section>
</template>
