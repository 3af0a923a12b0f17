<script setup lang="ts">
import { computed } from "vue";

import { count } from "./format";
import { terms, word } from "./verdicts";

const props = defineProps<{ sum: Record<string, number> }>();
const parts = computed(() => terms(props.sum));
const says = computed(() => parts.value.map((part) => `${count(part.count)} ${word(part.verdict)}`).join(", "));
</script>

<template>
  <div class="bar small" role="img" :aria-label="says" :title="says">
    <span
      v-for="part in parts"
      :key="part.verdict"
      :class="part.verdict"
      :style="{ flex: `${part.count} 0 8px`, padding: 0 }"
    />
  </div>
</template>
