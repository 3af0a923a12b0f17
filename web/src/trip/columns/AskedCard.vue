<script setup lang="ts">
/** What is asked about a column, with its answers. */
import AnswerButtons from "@/ui/AnswerButtons.vue";

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
      <AnswerButtons :answers="question.options" :disabled="disabled" @chosen="$emit('answer', $event)" />
    </div>
  </section>
</template>
