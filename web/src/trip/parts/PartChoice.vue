<script setup lang="ts">
/** Which part of a shared-out trip is looked at. */
import { computed } from "vue";
import { useRoute, useRouter } from "vue-router";

import type { Part } from "@/api/client";
import ChoiceList from "@/ui/ChoiceList.vue";

import { came } from "./words";

const props = defineProps<{ parts: Part[]; part: Part }>();
const route = useRoute();
const router = useRouter();
const options = computed(() =>
  props.parts.map((one) => ({ value: String(one.number), label: one.label, note: one.came ? one.says : came(one) })),
);
function go(number: string): void {
  void router.push({ name: "trip", params: route.params, query: { part: number } });
}
</script>

<template>
  <ChoiceList as="pill" label="Part" :model-value="String(part.number)" :options="options" @chosen="go" />
</template>
