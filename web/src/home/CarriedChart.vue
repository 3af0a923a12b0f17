<script setup lang="ts">
import { computed } from "vue";

import type { Schemas } from "@/api/client";
import { count, exact, shortDay } from "@/parts/format";

const props = defineProps<{ days: Schemas["Carried"][] }>();
const most = computed(() => Math.max(1, ...props.days.map((day) => day.carried + day.refused)));
const total = computed(() => props.days.reduce((sum, day) => sum + day.carried, 0));
const refused = computed(() => props.days.reduce((sum, day) => sum + day.refused, 0));
const share = computed(() =>
  refused.value ? exact(((100 * refused.value) / (total.value + refused.value)).toFixed(1)) : "0",
);
const height = (rows: number): number => (rows ? Math.max(2, (58 * rows) / most.value) : 0);
const label = (text: string): string => shortDay(new Date(text), false, "UTC");
</script>

<template>
  <section class="card">
    <h2 class="mb-1.5">Rows carried in, last 14 days</h2>
    <svg viewBox="0 0 286 78" role="img" :aria-label="`${count(total)} rows carried in, ${count(refused)} refused`">
      <g v-for="(day, at) in days" :key="day.day">
        <title>{{ label(day.day) }}: {{ count(day.carried) }} in, {{ count(day.refused) }} refused</title>
        <rect
          :x="2 + at * 20.3"
          :y="62 - height(day.carried)"
          width="14"
          :height="height(day.carried)"
          fill="var(--color-update)"
          opacity="0.85"
        />
        <rect
          :x="2 + at * 20.3"
          :y="62 - height(day.carried) - height(day.refused)"
          width="14"
          :height="height(day.refused)"
          fill="var(--color-reject)"
        />
      </g>
      <line x1="0" x2="286" y1="62.5" y2="62.5" stroke="var(--color-rule-strong)" />
      <text x="0" y="76" font-size="11.5" fill="var(--color-ink-soft)">{{ label(days[0]?.day ?? "") }}</text>
      <text x="284" y="76" font-size="11.5" fill="var(--color-ink-soft)" text-anchor="end">today</text>
    </svg>
    <p class="soft mt-1 text-data">{{ count(total) }} in · {{ count(refused) }} refused, {{ share }} %</p>
  </section>
</template>
