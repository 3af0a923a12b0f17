<script setup lang="ts">
/** Records in reach that no row of the sheet is about: nothing happens to them. */
import { useQuery } from "@tanstack/vue-query";
import { computed, ref } from "vue";

import { api, data } from "@/api/client";
import { lookedAt, withPart } from "@/api/part";
import { count } from "@/parts/format";

import { useTripContext } from "../context";

const { trip } = useTripContext();
const { data: absent } = useQuery({
  queryKey: computed(() => ["trip", trip.value.id, lookedAt.value, "absent", trip.value.plan?.number]),
  queryFn: () => data(api.GET("/api/trips/{id}/keys/absent", { params: { path: { id: trip.value.id } } })),
  enabled: computed(() => !!trip.value.plan),
});
const listed = ref(false);
const file = computed(() => withPart(`/api/trips/${trip.value.id}/keys/absent.csv`));
</script>

<template>
  <section v-if="absent?.known && absent.count" class="card" data-testid="absent">
    <b>Not in the sheet</b>
    <p>
      {{ count(absent.count) }} of {{ count(absent.reach) }} records in reach {{ absent.count === 1 ? "is" : "are" }} in
      no row. Nothing happens to them.
    </p>
    <div class="mt-1.5 flex flex-wrap gap-1.5">
      <button type="button" class="btn sm" :aria-expanded="listed" @click="listed = !listed">
        {{ listed ? "Hide them" : "Show them" }}
      </button>
      <a class="btn sm" :href="file" download>Download as a sheet</a>
    </div>
    <div v-if="listed" class="mt-2 max-h-64 overflow-auto" tabindex="0">
      <table class="plain-table">
        <thead>
          <tr>
            <th v-for="label in absent.labels" :key="label">{{ label }}</th>
            <th>Record ID</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in absent.records" :key="one.identifier">
            <td v-for="(text, at) in one.key" :key="at" class="mono">{{ text }}</td>
            <td class="mono soft">{{ one.identifier }}</td>
          </tr>
        </tbody>
      </table>
      <p v-if="absent.count > absent.records.length" class="soft">
        The first {{ count(absent.records.length) }} are shown; the sheet has all of them.
      </p>
    </div>
  </section>
</template>
