<script setup lang="ts">
import { computed } from "vue";

import { registered } from "@/services/keys";
import { footNote } from "@/services/foot";

const shown = computed(() =>
  [...registered]
    .reverse()
    .flatMap((entry) => entry.keys)
    .filter((key) => !key.quiet)
    .slice(0, 8),
);
</script>

<template>
  <footer class="foot">
    <span v-for="key in shown" :key="key.key"><kbd>{{ key.key }}</kbd> {{ key.says }}</span>
    <span class="ml-auto" data-testid="foot-note">{{ footNote }}</span>
  </footer>
</template>
