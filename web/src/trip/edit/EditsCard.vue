<script setup lang="ts">
/** The edits that lie over the file, newest first; each is taken back by itself. */
import { useQuery } from "@tanstack/vue-query";
import { computed } from "vue";

import { api, data } from "@/api/client";
import { many, when } from "@/parts/format";

import { useTripContext } from "../context";
import { useEditing } from "./editing";

const { trip, mayPrepare } = useTripContext();
const { undo, open } = useEditing();
const { data: edits } = useQuery({
  queryKey: computed(() => ["edits", trip.value.id, trip.value.version]),
  queryFn: () => data(api.GET("/api/trips/{id}/edits", { params: { path: { id: trip.value.id } } })),
  placeholderData: (before) => before,
});
</script>

<template>
  <section class="card" data-testid="edits">
    <b>{{ many(trip.edits, "edit", "edits") }} over the file</b>
    <p v-if="edits && !edits.length" class="soft">
      Nothing has been edited here. Choose a cell and press Enter. The file stays as it came.
    </p>
    <ul v-else-if="edits" class="mt-1 grid gap-2 text-small">
      <li v-for="one in edits" :key="one.id" class="border-t border-rule pt-1.5">
        <span class="flex items-start gap-2"
          ><span class="min-w-0 flex-1 break-words">{{ one.words }}</span>
          <button
            v-if="mayPrepare"
            type="button"
            class="btn sm flex-none"
            :disabled="!open"
            :aria-label="`Undo: ${one.words}`"
            @click="undo(one.id)"
          >
            Undo
          </button></span
        >
        <span class="soft block text-data"
          >{{ many(one.count, "cell", "cells") }} · {{ one.by.name }}, {{ when(one.at) }}</span
        >
        <span v-if="one.why" class="block text-data text-held" data-testid="lapsed">{{ one.why }}</span>
        <span v-for="(cell, at) in one.count > 1 ? one.first : []" :key="at" class="mono soft block truncate text-data"
          >{{ cell.header }}: {{ cell.before ?? "blank" }} → {{ cell.after ?? "blank" }}</span
        >
      </li>
    </ul>
  </section>
</template>
