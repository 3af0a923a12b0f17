<script setup lang="ts">
/** The sum for each group of rows: harbours, owners, whatever a column tells them apart by. */
import { useQuery } from "@tanstack/vue-query";
import { computed } from "vue";

import { api, data } from "@/api/client";
import { count, many } from "@/parts/format";
import SmallBar from "@/parts/SmallBar.vue";
import { terms, word } from "@/parts/verdicts";
import { useInAddress } from "@/ui/address";
import ChoiceList from "@/ui/ChoiceList.vue";

import { useTripContext } from "../context";
import { lookedAt } from "@/api/part";

const MOST = 50;
const { trip } = useTripContext();
const options = computed(() =>
  trip.value.columns
    .filter((c) => c.header && c.different > 1 && c.different <= MOST)
    .map((c) => ({ value: c.header, label: c.header, note: many(c.different, "value", "values") })),
);
const column = useInAddress("each");
const groups = useQuery({
  queryKey: computed(() => ["groups", trip.value.id, lookedAt.value, trip.value.version, column.value]),
  queryFn: () =>
    data(
      api.GET("/api/trips/{id}/groups", { params: { path: { id: trip.value.id }, query: { column: column.value } } }),
    ),
  enabled: computed(() => !!column.value && !!trip.value.plan),
  meta: { told: true },
});
const says = (sum: Record<string, number>): string =>
  terms(sum)
    .map((one) => `${count(one.count)} ${word(one.verdict)}`)
    .join(", ");
</script>

<template>
  <section v-if="options.length && trip.plan" class="card" data-testid="groups">
    <p class="sentence !text-body !text-ink">
      The sum for each
      <ChoiceList v-model="column" as="part" label="Group by" empty="which column?" :options="options" />
    </p>
    <table v-if="column && groups.data.value" class="mt-1 w-full text-small">
      <caption class="sr-only">
        The sum for each
        {{ column }}
      </caption>
      <tbody>
        <tr v-for="one in groups.data.value" :key="one.value" class="border-t border-rule">
          <th scope="row" class="py-1 pr-2 text-left align-top font-normal break-words">
            {{ one.value || "(blank)" }} <span class="soft mono block">{{ count(one.rows) }}</span>
          </th>
          <td class="w-40 py-1 align-top">
            <SmallBar :sum="one.sum" />
            <span class="soft text-data">{{ says(one.sum) }}</span>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-else-if="groups.error.value" class="!text-reject" role="alert">{{ groups.error.value.message }}</p>
  </section>
</template>
