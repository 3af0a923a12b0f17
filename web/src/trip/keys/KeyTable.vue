<script setup lang="ts">
/** The possible keys with their numbers, one of them chosen; each number opens the rows behind it. */
import { computed, ref } from "vue";

import { count } from "@/parts/format";

import { type Candidate, FINDS, type Finds, type Measured } from "./measured";

const FEW = 3;
const props = defineProps<{ measured: Measured; disabled: boolean }>();
const key = defineModel<string>({ required: true });
const emit = defineEmits<{ look: [of: { fields: string[]; finds: Finds }] }>();
const all = ref(false);
const idOf = (one: Candidate): string => one.fields.join("+");
const shown = computed(() =>
  props.measured.candidates.filter((one, at) => all.value || at < FEW || idOf(one) === key.value || one.recommended),
);
const hidden = computed(() => props.measured.candidates.length - shown.value.length);
/** The bar has each row once: those that share a record are some of those that find one. */
const partsOf = ({ rows }: Candidate) =>
  FINDS.map((one) => ({ ...one, count: one.finds === "one" ? rows.one - rows.shared : rows[one.finds] })).filter(
    (one) => one.count,
  );
const numbersOf = ({ rows }: Candidate) =>
  FINDS.map((one) => ({ ...one, count: rows[one.finds] })).filter((one) => one.count);
</script>

<template>
  <table class="plain-table" data-testid="keys">
    <thead>
      <tr>
        <th class="w-10"><span class="sr-only">Choose</span></th>
        <th>Key</th>
        <th>Different in the sheet</th>
        <th>Different in the application</th>
        <th>What it would give</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="one in shown" :key="idOf(one)" :class="{ 'bg-marine-tint': idOf(one) === key }">
        <td>
          <input
            :id="`key-${idOf(one)}`"
            v-model="key"
            type="radio"
            name="key"
            :value="idOf(one)"
            :disabled="disabled"
          />
        </td>
        <td>
          <label :for="`key-${idOf(one)}`" class="font-semibold">{{ one.labels.join(" + ") }}</label>
          <span v-if="one.recommended" class="tag ml-2 [--c:var(--color-create)] [--t:var(--color-create-tint)]"
            >finds the most</span
          >
          <p v-if="one.why || (idOf(one) === key && one.weaker)" class="soft text-small">
            {{ one.why }} {{ idOf(one) === key ? one.weaker : "" }}
          </p>
        </td>
        <td class="mono">{{ count(one.different) }} of {{ count(measured.rows) }}</td>
        <td class="mono" :class="{ '!text-reject': one.distinct < measured.records }">
          {{ count(one.distinct) }} of {{ count(measured.records) }}
        </td>
        <td class="w-72">
          <div class="bar small" aria-hidden="true">
            <span
              v-for="part in partsOf(one)"
              :key="part.finds"
              :class="part.means"
              :style="{ flex: `${part.count} 0 4px`, padding: 0 }"
            />
          </div>
          <template v-for="(part, at) in numbersOf(one)" :key="part.finds"
            ><span v-if="at" class="soft"> · </span
            ><button
              type="button"
              class="text-small text-marine underline"
              @click="emit('look', { fields: one.fields, finds: part.finds })"
            >
              {{ count(part.count) }} {{ part.says }}
            </button></template
          >
        </td>
      </tr>
      <tr v-if="hidden">
        <td />
        <td colspan="4">
          <button type="button" class="btn sm" @click="all = true">Show {{ count(hidden) }} more</button>
        </td>
      </tr>
    </tbody>
  </table>
</template>
