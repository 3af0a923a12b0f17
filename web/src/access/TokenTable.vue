<script setup lang="ts">
/** A person's tokens for scripts. */
import type { Schemas } from "@/api/client";
import { fullTime } from "@/parts/format";

defineProps<{ tokens: readonly Schemas["Token"][]; withdrawing?: boolean }>();
defineEmits<{ withdraw: [id: number] }>();
const over = (token: Schemas["Token"]): boolean => new Date(token.ends_at) <= new Date();
</script>

<template>
  <table v-if="tokens.length" class="plain-table" aria-label="Tokens for scripts">
    <thead>
      <tr>
        <th>Token</th>
        <th>At most</th>
        <th>Ends</th>
        <th>Last used</th>
        <th><span class="sr-only">What can be done</span></th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="token in tokens" :key="token.id">
        <td class="font-semibold">{{ token.name }}</td>
        <td>{{ token.role_label }}</td>
        <td :class="{ 'font-semibold text-held': over(token) }">
          {{ over(token) ? "ended" : "" }} {{ fullTime(token.ends_at) }}
        </td>
        <td>{{ token.used_at ? fullTime(token.used_at) : "never" }}</td>
        <td class="text-right">
          <button
            type="button"
            class="btn sm"
            :disabled="withdrawing"
            :aria-label="`Withdraw ${token.name}`"
            @click="$emit('withdraw', token.id)"
          >
            Withdraw
          </button>
        </td>
      </tr>
    </tbody>
  </table>
</template>
