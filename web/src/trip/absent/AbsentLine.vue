<script setup lang="ts">
/** The second sum: records in reach that the sheet does not have, by what becomes or became of them. */
import { computed } from "vue";

import { count } from "@/parts/format";
import VerdictSign from "@/parts/VerdictSign.vue";

import { useTripContext } from "../context";

const props = defineProps<{ outcome?: boolean }>();
const { trip } = useTripContext();
const last = computed(() => trip.value.passes.at(-1)?.absent);
const sums = computed((): [string, string, number][] => {
  if (props.outcome)
    return last.value
      ? [
          ["deleted", "deleted", last.value.deleted],
          ["refused", "refused", last.value.refused],
          ["unclear", "unclear", last.value.unclear],
          ["waiting", "not sent", last.value.waiting],
          ["held", "asked", last.value.held],
          ["same", "kept", last.value.kept],
        ]
      : [];
  const one = trip.value.absent;
  return one
    ? [
        ["delete", "to delete", one.delete],
        ["held", "asked", one.held],
        ["same", "kept", one.kept],
      ]
    : [];
});
const terms = computed(() => sums.value.filter(([, , number]) => number));
const whole = computed(() => terms.value.reduce((sum, [, , number]) => sum + number, 0));
const groups = computed(() => (props.outcome ? last.value?.groups : trip.value.absent?.groups) ?? []);
</script>

<template>
  <p
    v-if="whole"
    class="mx-4 mb-2 flex flex-none flex-wrap items-center gap-x-2 text-small"
    aria-label="The second sum"
    data-testid="absent-line"
  >
    <span
      ><b>{{ count(whole) }}</b> in reach, not in the sheet <span class="soft">=</span></span
    >
    <span v-for="([verdict, word, number], at) in terms" :key="word"
      ><span v-if="at" class="soft">+ </span><VerdictSign :verdict="verdict" /> <b>{{ count(number) }}</b>
      {{ word }}</span
    >
    <span v-for="one in groups" :key="one.says" class="soft">{{ count(one.count) }}: {{ one.says }}</span>
    <RouterLink
      v-if="!outcome"
      class="font-semibold text-marine underline"
      :to="{ name: 'trip', params: { id: trip.id, station: 'keys' } }"
      >Show them</RouterLink
    >
  </p>
</template>
