<script setup lang="ts">
/** Which records the trip may touch, as part of the sentence about its rows. */
import { computed, ref, watch } from "vue";

import ChoiceList from "@/ui/ChoiceList.vue";

import { useTripContext } from "../context";

defineProps<{ disabled: boolean }>();
/** ``all``, ``sent``, a condition, or empty for what the sheet says by itself. */
const reach = defineModel<string>({ required: true });
const { trip } = useTripContext();
const usual = computed(() => (trip.value.sent_rows == null ? "all" : "sent"));
const WHERE = "where";
const plain = (text: string): boolean => ["", "all", "sent"].includes(text);
/** The condition as it is typed, and whether one is wanted: it is empty at first. */
const typed = ref(plain(reach.value) ? "" : reach.value);
const wanted = ref(!plain(reach.value));
watch(reach, (now) => {
  if (now.trim() === typed.value.trim() && wanted.value) return;
  wanted.value = !plain(now);
  typed.value = plain(now) ? "" : now;
});
watch(typed, (now) => {
  if (wanted.value) reach.value = now.trim();
});
const kind = computed({
  get: () => (wanted.value ? WHERE : reach.value || usual.value),
  set: (now) => {
    wanted.value = now === WHERE;
    reach.value = now === WHERE ? typed.value.trim() : now;
  },
});
const options = computed(() => [
  ...(trip.value.sent_rows == null ? [] : [{ value: "sent", label: "the records that went out" }]),
  { value: "all", label: `all ${trip.value.plural}` },
  { value: WHERE, label: `${trip.value.plural} where…` },
]);
</script>

<template>
  <span>looking only in</span>
  <ChoiceList v-model="kind" as="pill" label="Records that may be touched" :options="options" :disabled="disabled" />
  <input
    v-if="kind === WHERE"
    v-model="typed"
    class="input mono min-w-64 flex-1"
    :disabled="disabled"
    aria-label="Condition of the records that may be touched"
    placeholder="harbour eq 'NORTHHAVEN'"
    spellcheck="false"
  />
</template>
