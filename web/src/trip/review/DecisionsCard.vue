<script setup lang="ts">
/** What people decided: who, when, what was seen, for how many rows, and what became of them. */
import { useQuery } from "@tanstack/vue-query";
import { computed } from "vue";

import { api, data, type Schemas } from "@/api/client";
import { lookedAt } from "@/api/part";
import { count, fullTime, many, when } from "@/parts/format";
import VerdictSign from "@/parts/VerdictSign.vue";

import { useTripContext } from "../context";
import { useDeciding } from "../rows/deciding";

type Decision = Schemas["DecisionFact"];
/** The decision whose rows are shown, by its number; empty for none. */
const shown = defineModel<string>({ default: "" });
const { trip, mayPrepare } = useTripContext();
const { undo, open } = useDeciding();
const { data: decisions } = useQuery({
  queryKey: computed(() => ["decisions", trip.value.id, lookedAt.value, trip.value.plan?.number, trip.value.version]),
  queryFn: () => data(api.GET("/api/trips/{id}/decisions", { params: { path: { id: trip.value.id } } })),
});
const rows = (decision: Decision): string => {
  const [one, more] = decision.of_records ? ["record", "records"] : ["row", "rows"];
  const named = decision.numbers.length && decision.count <= decision.numbers.length;
  return named
    ? `${decision.numbers.length === 1 ? "row" : "rows"} ${decision.numbers.map((n) => count(n)).join(", ")}`
    : many(decision.count, one, more);
};
const states = (decision: Decision) => Object.entries(decision.states) as [Schemas["RowStateEnum"], number][];
</script>

<template>
  <h2>Decisions</h2>
  <p v-if="decisions && !decisions.length" class="soft">
    Nothing is decided yet. An answer to what a row asks, or to a question about the plan, is listed here, and can be
    undone by itself.
  </p>
  <ol v-if="decisions?.length" class="grid gap-2" data-testid="decisions">
    <li v-for="decision in decisions" :key="decision.id" class="card grid gap-1 text-small">
      <p>
        <b>{{ decision.says }}</b><span v-if="decision.argument" class="mono"> {{ decision.argument }}</span
        ><template v-if="decision.label">, {{ decision.label }}</template>
      </p>
      <p v-if="decision.asked" class="soft">{{ decision.asked }}</p>
      <p>
        <button
          v-if="!decision.of_records"
          type="button"
          class="font-semibold text-marine underline"
          :aria-pressed="shown === String(decision.id)"
          @click="shown = shown === String(decision.id) ? '' : String(decision.id)"
        >
          {{ rows(decision) }}</button
        ><template v-else>{{ rows(decision) }}</template>
        <span v-for="[state, number] in states(decision)" :key="state" class="ml-2 whitespace-nowrap"
          ><VerdictSign :verdict="state" /> {{ count(number) }} {{ state }}</span
        >
      </p>
      <p v-if="decision.again" class="font-semibold text-held">
        {{ many(decision.again, "row is", "rows are") }} asked again: what was seen has changed since.
      </p>
      <p v-if="decision.newer" class="soft">
        Of {{ many(decision.newer, "row", "rows") }} a later decision says something else.
      </p>
      <p class="flex items-center gap-2">
        <span class="soft" :title="fullTime(decision.at)"
          >{{ decision.mine ? "you" : decision.by.name }}, {{ when(decision.at) }}</span
        >
        <button
          v-if="mayPrepare"
          type="button"
          class="btn sm ml-auto"
          :disabled="!open"
          :aria-label="`Undo: ${decision.says}, ${rows(decision)}`"
          @click="undo(decision)"
        >
          Undo
        </button>
      </p>
    </li>
  </ol>
</template>
