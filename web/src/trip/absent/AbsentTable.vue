<script setup lang="ts">
/** Records that no row is about, by their key; what else there is to say of each stands behind it. */
import { count } from "@/parts/format";

import type { AbsentRecord } from "./absent";

defineProps<{ labels: string[]; records: AbsentRecord[]; of: number }>();
defineSlots<{ head?: () => unknown; more?: (given: { record: AbsentRecord; at: number }) => unknown }>();
</script>

<template>
  <table class="plain-table">
    <thead>
      <tr>
        <th v-for="label in labels" :key="label">{{ label }}</th>
        <th>Record ID</th>
        <slot name="head" />
      </tr>
    </thead>
    <tbody>
      <tr v-for="(record, at) in records" :key="record.identifier">
        <td v-for="(text, place) in record.key" :key="place" class="mono">{{ text }}</td>
        <td class="mono soft">{{ record.identifier }}</td>
        <slot name="more" :record="record" :at="at" />
      </tr>
    </tbody>
  </table>
  <p v-if="of > records.length" class="soft px-3 py-1">
    The first {{ count(records.length) }} are shown; the sheet has all of them.
  </p>
</template>
