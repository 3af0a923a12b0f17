<script setup lang="ts">
/** The browsers in which a person is signed in. */
import type { Schemas } from "@/api/client";
import { fullTime } from "@/parts/format";

import { browserName } from "./browserName";

defineProps<{ sessions: readonly Schemas["SignedIn"][]; ending?: boolean }>();
defineEmits<{ end: [number: string] }>();
</script>

<template>
  <table class="plain-table" aria-label="Browsers that are signed in">
    <thead>
      <tr>
        <th>Browser</th>
        <th>From</th>
        <th>Signed in</th>
        <th>Last used</th>
        <th><span class="sr-only">What can be done</span></th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="one in sessions" :key="one.number">
        <td :title="one.browser">
          {{ browserName(one.browser ?? "") }}<b v-if="one.this" class="text-marine"> · this one</b>
        </td>
        <td class="mono text-data">{{ one.address || "unknown" }}</td>
        <td>{{ one.began_at ? fullTime(one.began_at) : "" }}</td>
        <td>{{ one.used_at ? fullTime(one.used_at) : "" }}</td>
        <td class="text-right">
          <button
            v-if="!one.this"
            type="button"
            class="btn sm"
            :disabled="ending"
            :aria-label="`Sign out there: ${browserName(one.browser ?? '')} from ${one.address}`"
            @click="$emit('end', one.number)"
          >
            Sign out there
          </button>
        </td>
      </tr>
    </tbody>
  </table>
</template>
