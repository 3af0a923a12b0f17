<script setup lang="ts">
/** The six stations: places to go, each saying its state. A sheet of no trip yet has nowhere to go. */
import { RouterLink } from "vue-router";

import type { Trip } from "@/api/client";

defineProps<{ trip?: number; stations: Trip["stations"]; open: string }>();

const title = (name: string): string => name.charAt(0).toUpperCase() + name.slice(1);
</script>

<template>
  <nav class="line" aria-label="Stations">
    <component
      :is="trip ? RouterLink : 'span'"
      v-for="(station, at) in stations"
      :key="station.name"
      :to="trip ? { name: 'trip', params: { id: trip, station: station.name } } : undefined"
      class="station"
      :class="[station.state, { open: open === station.name }]"
      :aria-current="open === station.name ? 'step' : undefined"
      :title="`${title(station.name)}: ${station.says} (${at + 1})`"
    >
      <i aria-hidden="true" /><b>{{ title(station.name) }}</b>
      <span :class="{ asks: station.asks }">{{ station.says }}</span>
    </component>
  </nav>
</template>
