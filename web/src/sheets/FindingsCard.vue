<script setup lang="ts">
/** What was noticed in a file, in words with their rows. */
import { computed, ref } from "vue";

import type { Schemas } from "@/api/client";
import { many } from "@/parts/format";
import VerdictSign from "@/parts/VerdictSign.vue";

const FEW = 6;
const props = defineProps<{ findings: Schemas["Finding"][] }>();
const all = ref(false);
const shown = computed(() => (all.value ? props.findings : props.findings.slice(0, FEW)));
</script>

<template>
  <section v-if="findings.length" class="card" data-testid="findings">
    <b>{{ many(findings.length, "finding", "findings") }}</b>
    <ul class="mt-1 grid gap-1.5 text-small">
      <li v-for="one in shown" :key="one.text" class="grid grid-cols-[18px_minmax(0,1fr)] gap-2">
        <VerdictSign verdict="held" /><span class="break-words">{{ one.text }}</span>
      </li>
    </ul>
    <button v-if="findings.length > FEW" type="button" class="btn sm mt-2" @click="all = !all">
      {{ all ? "Show fewer" : `Show all ${findings.length}` }}
    </button>
  </section>
</template>
