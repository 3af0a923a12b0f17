<script setup lang="ts">
import { computed, type ComponentPublicInstance, ref } from "vue";

import type { Trip } from "@/api/client";
import { tripAddress } from "@/api/part";
import { count, fullTime, many, moment, when } from "@/parts/format";
import SmallBar from "@/parts/SmallBar.vue";
import SmallLine from "@/parts/SmallLine.vue";
import StageLabel from "@/parts/StageLabel.vue";

const { trip } = defineProps<{ trip: Trip; current: boolean }>();
const needs = computed(() => [trip.needs.says, trip.needs.at && moment(trip.needs.at)].filter(Boolean).join(" "));
const size = computed(() => {
  const { rows, sent_rows: out } = trip;
  return rows != null ? many(rows, "row", "rows") : out != null ? `${many(out, "row", "rows")} out` : "no sheet yet";
});
/** What it is about; of a trip that was shared out, the part at which somebody is needed. */
const about = computed(() => {
  const part = trip.about_part;
  if (!part) return `${trip.plural} · ${size.value}`;
  return `${part.label}${part.more ? `, ${count(part.more)} more` : ""} · ${size.value}`;
});
const aboutAll = computed(() => {
  const part = trip.about_part;
  if (!part) return about.value;
  const more = part.more ? ` and ${many(part.more, "more part", "more parts")}` : "";
  return `${trip.plural} · ${part.label}${more} · ${size.value}`;
});
const link = ref<ComponentPublicInstance>();
defineExpose({ focus: () => (link.value?.$el as HTMLElement | undefined)?.focus() });
</script>

<template>
  <li
    class="relative grid min-h-[58px] grid-cols-[96px_minmax(150px,1fr)_132px_minmax(80px,200px)_minmax(150px,210px)] items-center gap-4 border-b border-[#ECE8DD] px-2.5 last:border-0 max-[1180px]:grid-cols-[92px_minmax(150px,1fr)_132px_90px_160px] max-[1180px]:gap-3"
    :class="{ 'bg-[#F3F8F8]': current }"
  >
    <span><StageLabel :stage="trip.application.stage" /></span>
    <span class="min-w-0"
      ><RouterLink ref="link" :to="tripAddress(trip)" class="block truncate font-bold after:absolute after:inset-0">{{
        trip.title
      }}</RouterLink>
      <span class="soft block truncate text-data" :title="aboutAll">{{ about }}</span>
    </span>
    <SmallLine :stations="trip.stations" />
    <SmallBar v-if="trip.rows != null" :sum="trip.sum" />
    <span v-else class="soft text-small">{{ trip.sent_rows != null ? "out, not back yet" : "" }}</span>
    <span class="min-w-0"
      ><span class="tag max-w-full truncate" :class="trip.needs.kind" :title="needs">{{ needs }}</span>
      <span class="soft mt-0.5 block truncate text-data" :title="fullTime(trip.touched_at)"
        >{{ trip.created_by.name }} · {{ when(trip.touched_at) }}</span
      ></span
    >
  </li>
</template>
