<script setup lang="ts">
/** The second sum: records in reach that the sheet does not have, by what becomes or became of them. */
import { computed } from "vue";

import { count } from "@/parts/format";
import VerdictSign from "@/parts/VerdictSign.vue";
import { word } from "@/parts/verdicts";

import { useTripContext } from "../context";
import { BECOMES, type Becomes, EACH } from "./absent";

const props = defineProps<{ outcome?: boolean }>();
const { trip } = useTripContext();
const last = computed(() => trip.value.passes.at(-1)?.absent);
/** States of a record after a pass: its sign, and the words of its sum. */
const AFTER = ["deleted", "refused", "unclear", "waiting"] as const;
const sums = computed((): [sign: string, words: string, number: number][] => {
  const figures = props.outcome ? last.value : trip.value.absent;
  if (!figures) return [];
  const sent: [string, string, number][] =
    last.value && props.outcome ? AFTER.map((one) => [one, word(one), last.value?.[one] ?? 0]) : [];
  const planned = EACH.filter((one) => one in figures).map((one): [string, string, number] => [
    BECOMES[one].sign,
    BECOMES[one].word,
    (figures as Partial<Record<Becomes, number>>)[one] ?? 0,
  ]);
  return [...sent, ...planned];
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
    <span><b>{{ count(whole) }}</b> in reach, not in the sheet <span class="soft">=</span></span>
    <span v-for="([sign, words, number], at) in terms" :key="words"
      ><span v-if="at" class="soft">+ </span><VerdictSign :verdict="sign" /> <b>{{ count(number) }}</b>
      {{ words }}</span
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
