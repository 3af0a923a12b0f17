<script setup lang="ts">
/** Which records the trip may touch, as part of the sentence about its rows. */
import { useQuery } from "@tanstack/vue-query";
import { refDebounced } from "@vueuse/core";
import { computed, ref, watch } from "vue";

import { api, data } from "@/api/client";
import { useCatalogue } from "@/api/queries";
import ClausePart from "@/conditions/ClausePart.vue";
import { asGroup, isGroup, type Part } from "@/conditions/conditions";
import { offered } from "@/conditions/fields";
import { useCondition } from "@/conditions/useCondition";
import { count } from "@/parts/format";
import ChoiceList from "@/ui/ChoiceList.vue";

import { useTripContext } from "../context";

defineProps<{ disabled: boolean }>();
/** ``all``, ``sent``, a condition, or empty for what the sheet says by itself. */
const reach = defineModel<string>({ required: true });
/** Whether the condition is not known yet, or has a slip. */
const unsettled = defineModel<boolean>("unsettled", { default: false });
const { trip } = useTripContext();
const usual = computed(() => (trip.value.sent_rows == null ? "all" : "sent"));
const WHERE = "where";
const plain = (text: string): boolean => ["", "all", "sent"].includes(text);
/** The condition, and whether one is wanted: it is empty at first. */
const condition = ref(plain(reach.value) ? "" : reach.value);
const wanted = ref(!plain(reach.value));
const asText = ref(false);
const application = computed(() => trip.value.application.name);
const { data: catalogue } = useCatalogue(application);
const type = computed(() => catalogue.value?.types.find((one) => one.name === trip.value.record_type));
const fields = computed(() => (type.value ? offered(type.value, catalogue.value?.types ?? []) : []));
const { text, sentence, slip, asking, begun } = useCondition({
  application,
  recordType: () => trip.value.record_type,
  condition,
});
if (condition.value) begun();
watch(reach, (now) => {
  if (now.trim() === condition.value.trim() && wanted.value) return;
  wanted.value = !plain(now);
  condition.value = plain(now) ? "" : now;
  begun();
});
watch(condition, (now) => {
  if (wanted.value) reach.value = now.trim();
});
watch(
  () => wanted.value && (!!slip.value || asking.value),
  (now) => (unsettled.value = now),
);
const kind = computed({
  get: () => (wanted.value ? WHERE : reach.value || usual.value),
  set: (now) => {
    wanted.value = now === WHERE;
    reach.value = now === WHERE ? condition.value.trim() : now;
  },
});
const options = computed(() => [
  ...(trip.value.sent_rows == null ? [] : [{ value: "sent", label: "the records that went out" }]),
  { value: "all", label: `all ${trip.value.plural}` },
  { value: WHERE, label: `${trip.value.plural} where…` },
]);
const outer = computed(() => asGroup(sentence.value));
function changed(now: Part): void {
  sentence.value = isGroup(now) && !now.parts.length ? null : now;
}
const settled = refDebounced(condition, 350);
const { data: there } = useQuery({
  queryKey: computed(() => ["reach", application.value, trip.value.record_type, settled.value]),
  queryFn: () => {
    const params = { path: { name: application.value } };
    const body = {
      record_type: trip.value.record_type,
      chosen: [type.value?.identifier ?? ""],
      condition: settled.value,
    };
    return data(api.POST("/api/applications/{name}/preview", { params, body }));
  },
  enabled: computed(() => wanted.value && !!type.value && !!settled.value && !slip.value && !asking.value),
});
</script>

<template>
  <span>looking only in</span>
  <ChoiceList v-model="kind" as="pill" label="Records that may be touched" :options="options" :disabled="disabled" />
  <template v-if="kind === WHERE && !disabled">
    <ClausePart
      v-if="!asText"
      outer
      :part="outer"
      :fields="fields"
      :application="application"
      :record-type="trip.record_type"
      @change="changed"
    />
    <input
      v-else
      v-model="text"
      class="input mono min-w-64 flex-1"
      :class="{ '!border-reject': slip }"
      aria-label="Condition of the records that may be touched"
      placeholder="harbour eq 'NORTHHAVEN'"
      spellcheck="false"
    />
    <button type="button" class="chip" :aria-pressed="asText" @click="asText = !asText">as text</button>
    <span v-if="there && settled === condition && condition" class="soft" data-testid="reach-count"
      ><b class="mono text-ink">{{ count(there.count) }}</b> of {{ count(there.total) }}</span
    >
    <pre v-if="slip" class="mono w-full text-small whitespace-pre-wrap text-reject" role="alert">{{ slip }}</pre>
  </template>
  <span v-else-if="kind === WHERE" class="mono">{{ condition }}</span>
</template>
