<script setup lang="ts">
/** What is asked about a column, with its answers. */
import type { Option, Question } from "./lanes";

defineProps<{ question: Question; disabled?: boolean }>();
defineEmits<{ answer: [answer: Option] }>();
</script>

<template>
  <section class="card border-held" data-testid="question">
    <p>
      <span class="tag mr-1.5 [--c:var(--color-held)] [--t:var(--color-held-tint)]" aria-hidden="true">?</span>
      {{ question.says }}
    </p>
    <div class="mt-2 flex flex-wrap gap-1.5">
      <button
        v-for="option in question.options"
        :key="option.says"
        type="button"
        class="btn sm !whitespace-normal text-left"
        :disabled="disabled"
        @click="$emit('answer', option)"
      >
        {{ option.says }}
      </button>
    </div>
  </section>
</template>
