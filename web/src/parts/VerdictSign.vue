<script setup lang="ts">
import { SIGNS, word } from "./verdicts";

defineProps<{ verdict: string }>();
</script>

<template>
  <span class="sign" :class="verdict" role="img" :aria-label="word(verdict)" :title="word(verdict)">{{
    SIGNS[verdict]
  }}</span>
</template>
