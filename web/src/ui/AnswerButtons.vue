<script setup lang="ts" generic="T extends { says: string }">
/** Answers to one question, a button each. */
defineProps<{
  answers: readonly T[];
  disabled?: boolean;
  /** The first is what is usually meant. */
  suggests?: boolean;
  /** How many of them have a key of their own: 1, 2 and so on. */
  keys?: number;
  /** Behind the words of each: for how many rows it is. */
  more?: string;
}>();
defineEmits<{ chosen: [answer: T] }>();
</script>

<template>
  <button
    v-for="(answer, at) in answers"
    :key="`${at} ${answer.says}`"
    type="button"
    class="btn sm answer"
    :class="{ go: suggests && !at }"
    :disabled="disabled"
    @click="$emit('chosen', answer)"
  >
    {{ answer.says }}{{ more }} <kbd v-if="at < (keys ?? 0)">{{ at + 1 }}</kbd>
  </button>
</template>
