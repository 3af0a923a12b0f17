<script setup lang="ts">
/** The row sum with its bar; each segment shows the rows behind it. */
import { computed } from "vue";

import { count } from "./format";
import { NOT_IN, SIGNS, terms, word } from "./verdicts";

const props = defineProps<{ rows: number; sum: Record<string, number>; chosen: string }>();
const emit = defineEmits<{ choose: [verdict: string] }>();
const parts = computed(() => terms(props.sum));
const isChosen = (verdict: string): boolean =>
  props.chosen === verdict || (props.chosen === "not-in" && NOT_IN.includes(verdict));
</script>

<template>
  <section class="ledger" aria-label="The row sum">
    <div class="sum" data-testid="sum">
      <b>{{ count(rows) }}</b> rows read <span class="soft">=</span>
      <template v-for="(part, at) in parts" :key="part.verdict">
        <span v-if="at" class="soft">+</span>
        <span><b>{{ count(part.count) }}</b> {{ word(part.verdict) }}</span>
      </template>
      <span class="soft mono ml-auto text-small"><slot /></span>
    </div>
    <div class="bar">
      <button
        v-for="part in parts"
        :key="part.verdict"
        type="button"
        :class="part.verdict"
        :aria-pressed="isChosen(part.verdict)"
        :style="{ flex: `${part.count} 0 ${part.count > rows / 12 ? 92 : 62}px` }"
        :aria-label="`${count(part.count)} ${word(part.verdict)}: show these rows`"
        @click="emit('choose', chosen === part.verdict ? '' : part.verdict)"
      >
        <span aria-hidden="true">{{ SIGNS[part.verdict] }}</span> {{ count(part.count) }}
        <span v-if="part.count > rows / 12">{{ word(part.verdict) }}</span>
      </button>
    </div>
  </section>
</template>
