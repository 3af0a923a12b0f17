<script setup lang="ts">
/** What takes room, by kind. */
import { computed } from "vue";

import type { Schemas } from "@/api/client";
import { count, room } from "@/parts/format";

const { upkeep } = defineProps<{ upkeep: Schemas["Upkeep"] }>();
const NAMES: Record<Schemas["Room"]["kind"], string> = {
  database: "Database",
  sheets: "Sheets that went out or came in",
  uploads: "Files as they came",
  "kept copies": "Kept copies",
  "plans and passes": "Plans and passes",
  receipts: "Receipts of deleted trips",
  cache: "Cache, which is thinned by itself",
  backups: "Backups before upgrades",
  logs: "Logs",
};
const all = computed(() => upkeep.room.reduce((sum, one) => sum + one.bytes, 0));
function share(bytes: number): string {
  const part = all.value ? (100 * bytes) / all.value : 0;
  return part > 0 && part < 1 ? "under 1 %" : `${part.toFixed(0)} %`;
}
</script>

<template>
  <section class="grid gap-2 p-4" aria-labelledby="room">
    <h2 id="room">Room</h2>
    <p>Vexo takes <b>{{ room(all) }}</b>; <b>{{ room(upkeep.free) }}</b> are free on its disk.</p>
    <table class="plain-table" aria-label="Room by kind">
      <thead>
        <tr>
          <th>Kind</th>
          <th class="!text-right">Room</th>
          <th class="!text-right">Share</th>
          <th class="!text-right">Files</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="one in upkeep.room" :key="one.kind">
          <td>{{ NAMES[one.kind] }}</td>
          <td class="mono text-right">{{ room(one.bytes) }}</td>
          <td class="mono text-right">{{ share(one.bytes) }}</td>
          <td class="mono text-right">{{ count(one.files) }}</td>
        </tr>
      </tbody>
    </table>
  </section>
</template>
