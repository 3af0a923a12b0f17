<script setup lang="ts">
/** The rows that are not in by reason: each shows its rows alone, and is answered for all of them. */
import { api, data, type Schemas } from "@/api/client";
import { jobDone } from "@/api/queries";
import { many } from "@/parts/format";
import VerdictSign from "@/parts/VerdictSign.vue";
import { say } from "@/services/notices";
import { useDoing } from "@/ui/doing";

import { useTripContext } from "../context";
import { usePlanAgain } from "../planning";

type Group = Schemas["FaultGroup"];

/** The group whose rows are shown alone; empty for all of a state. */
const chosen = defineModel<{ state: string; reason: string }>({ required: true });
const emit = defineEmits<{ choose: [string] }>();
const { trip, mayPrepare, set, refresh } = useTripContext();
const { planAgain, busy: planning } = usePlanAgain();

const reasonOf = (group: Group): string => JSON.stringify([group.code, group.field, group.message ?? ""]);
const isChosen = (group: Group): boolean =>
  chosen.value.state === group.state && chosen.value.reason === reasonOf(group);

function show(group: Group): void {
  const again = isChosen(group);
  chosen.value = again ? { state: "", reason: "" } : { state: group.state, reason: reasonOf(group) };
  emit("choose", again ? "not-in" : group.state);
}

const { start: setAside, busy: setting } = useDoing(
  async (group: Group) => {
    const params = { path: { id: trip.value.id } };
    if (!trip.value.plan?.current) {
      await jobDone((await data(api.POST("/api/trips/{id}/plan", { params }))).id);
      await refresh();
    }
    const { code, field, message } = group;
    const body = { plan: trip.value.plan?.number ?? 0, answer: "aside" as const, argument: "", code, field, message };
    set(await data(api.POST("/api/trips/{id}/decisions", { params, body })));
  },
  {
    done: () => {
      say("Set aside. Decisions are listed, and undone, at Review.");
    },
    after: () => refresh().catch(() => {}),
  },
);

/** What was refused is set aside here; what Vexo stopped before sending is answered at Review, with its rows. */
function answer(group: Group): void {
  if (group.message === null) planAgain({ state: group.state, why: group.code });
  else setAside(group);
}
const all = (group: Group): string => (group.count === 1 ? "it" : "them all");
</script>

<template>
  <div class="max-h-[112px] flex-none overflow-auto border-b border-rule bg-paper" role="group" aria-label="Reasons">
    <div
      v-for="one in trip.outcomes"
      :key="one.state + reasonOf(one)"
      class="flex items-center gap-2 border-b border-rule px-3 text-small last:border-0 hover:bg-marine-tint"
      :class="{ 'bg-marine-tint': isChosen(one) }"
    >
      <button
        type="button"
        class="flex min-w-0 flex-1 items-center gap-2 py-1 text-left"
        :aria-pressed="isChosen(one)"
        :data-reason="one.says"
        @click="show(one)"
      >
        <VerdictSign :verdict="one.state" /><b>{{ one.says }}</b
        ><span class="soft ml-auto whitespace-nowrap"
          >{{ one.state === "refused" ? "the application refused" : one.state }}
          {{ many(one.count, "row", "rows") }}</span
        >
      </button>
      <span v-if="one.aside" class="soft flex-none">· {{ one.aside }} set aside since</span>
      <button
        v-else-if="one.answers.length && mayPrepare"
        type="button"
        class="btn sm flex-none"
        :disabled="planning || setting || !!trip.job"
        :title="one.answers.map((own) => own.says).join(' · ')"
        @click="answer(one)"
      >
        {{ one.message === null ? "Answer" : "Set" }} {{ all(one) }}{{ one.message === null ? "" : " aside" }}
      </button>
    </div>
    <p v-if="trip.outcomes_left" class="soft px-3 py-1 text-small">
      … and {{ many(trip.outcomes_left, "row", "rows") }} for other reasons: each row says its own.
    </p>
  </div>
</template>
