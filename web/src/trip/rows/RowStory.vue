<script setup lang="ts">
/** A row in sentences, and what people decided about it. */
import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import { computed } from "vue";

import { api, data, type Row } from "@/api/client";
import { lookedAt } from "@/api/part";
import { fullTime, when } from "@/parts/format";

import { useTripContext } from "../context";
import { useDeciding } from "./deciding";

const props = defineProps<{ row: Row }>();
const { trip, mayPrepare } = useTripContext();
const { undo, open } = useDeciding();
const { data: story } = useQuery({
  queryKey: computed(() => [
    "story",
    trip.value.id,
    lookedAt.value,
    trip.value.plan?.number,
    trip.value.version,
    props.row.row_id,
  ]),
  queryFn: () =>
    data(api.GET("/api/trips/{id}/rows/{row}", { params: { path: { id: trip.value.id, row: props.row.row_id } } })),
  placeholderData: keepPreviousData,
  retry: false,
});
</script>

<template>
  <details v-if="story" class="text-small" data-testid="story">
    <summary class="cursor-pointer font-semibold text-marine">Explain this row</summary>
    <p v-for="sentence in story.says" :key="sentence" class="mt-1">{{ sentence }}</p>
  </details>
  <ul v-if="story?.decisions.length" class="grid gap-1 text-small" aria-label="Decided about this row">
    <li v-for="decision in story.decisions" :key="decision.id" class="flex items-baseline gap-2">
      <span>
        <b>{{ decision.says }}</b><template v-if="decision.label">, {{ decision.label }}</template>:
        <span class="soft" :title="fullTime(decision.at)"
          >{{ decision.mine ? "you" : decision.by.name }}, {{ when(decision.at) }}</span
        >
      </span>
      <button
        v-if="mayPrepare"
        type="button"
        class="btn sm ml-auto"
        :disabled="!open"
        :aria-label="`Undo: ${decision.says}`"
        @click="undo(decision)"
      >
        Undo
      </button>
    </li>
  </ul>
</template>
