<script setup lang="ts">
/** Sheets that came and wait to be told what they are about. */
import { useWaitingList } from "@/api/queries";
import { fullTime, many, when } from "@/parts/format";

const { data: waiting } = useWaitingList();
</script>

<template>
  <ul
    v-if="waiting?.length"
    class="mb-3 overflow-hidden rounded-lg border border-dashed border-held bg-panel"
    aria-label="Sheets that wait"
    data-testid="waiting"
  >
    <li
      v-for="one in waiting"
      :key="one.id"
      class="relative grid min-h-[46px] grid-cols-[minmax(0,1fr)_auto] items-center gap-4 border-b border-[#ECE8DD] px-3 py-1.5 last:border-0"
    >
      <span class="min-w-0"
        ><RouterLink :to="`/sheets/${one.id}`" class="block truncate font-bold after:absolute after:inset-0">{{
          one.name
        }}</RouterLink>
        <span class="soft block truncate text-data" :title="fullTime(one.began_at)"
          >{{ one.rows != null ? many(one.rows, "row", "rows") : "a file" }} · dropped by {{ one.by.name }},
          {{ when(one.began_at) }}</span
        ></span
      >
      <span class="tag held">{{ one.state === "failed" ? "cannot be read" : "what is it about?" }}</span>
    </li>
  </ul>
</template>
