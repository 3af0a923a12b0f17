<script setup lang="ts">
import type { Trip } from "@/api/client";

defineProps<{ stations: Trip["stations"] }>();

const label = (stations: Trip["stations"]): string => {
  const here = stations.find((station) => station.state === "here");
  return here ? `at ${here.name}: ${here.says}` : "";
};
</script>

<template>
  <div class="flex w-[132px] items-center" role="img" :aria-label="label(stations)" :title="label(stations)">
    <template v-for="(station, at) in stations" :key="station.name">
      <span v-if="at" class="h-[3px] flex-1" :class="station.state === 'ahead' ? 'bg-rule-strong' : 'bg-marine'" />
      <span
        class="flex-none rounded-full border-3"
        :class="{
          'h-[11px] w-[11px] border-marine bg-marine': station.state === 'done',
          'h-[15px] w-[15px] border-marine bg-panel': station.state === 'here',
          'h-[11px] w-[11px] border-rule-strong bg-panel': station.state === 'ahead',
        }"
      />
    </template>
  </div>
</template>
