<script setup lang="ts">
/** The values of a clause, offered from the application's own. */
import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/vue-query";
import { refDebounced } from "@vueuse/core";
import { computed, inject, nextTick, onBeforeUnmount, ref } from "vue";

import { api, data, passing } from "@/api/client";
import { count } from "@/parts/format";
import SearchPart from "@/ui/SearchPart.vue";

import { type Clause, takesMany, takesNone } from "./conditions";
import { LOOKED_FOR } from "./useCondition";
import type { Offered } from "./fields";

const props = defineProps<{ clause: Clause; offered: Offered | undefined; application: string; recordType: string }>();
const emit = defineEmits<{ values: [values: string[]] }>();
const queryClient = useQueryClient();
const open = ref(false);
const typed = ref("");
const like = refDebounced(typed, 250);
const kind = computed(() => props.offered?.field.kind ?? "text");
const days = computed(() => props.clause.does.endsWith("-days"));
const plain = computed(() => ["decimal", "whole number", "date", "moment"].includes(kind.value));
const many = computed(() => takesMany(props.clause.does));
const valuesLike = (text: string) => {
  const { application, recordType, clause } = props;
  const query = { record_type: recordType, field: clause.field, like: text };
  return {
    queryKey: ["values", application, recordType, clause.field, text],
    queryFn: () => data(api.GET("/api/applications/{name}/values", { params: { path: { name: application }, query } })),
    staleTime: 60_000,
    // An application that is busy is asked again: the text as typed would pass for a value of its own.
    retry: (_: number, error: Error) => passing(error),
    retryDelay: (times: number) => Math.min(300 * 2 ** times, 4000),
  };
};
const offers = useQuery(
  computed(() => ({
    ...valuesLike(like.value),
    enabled: open.value && !plain.value && !!props.clause.field,
    placeholderData: keepPreviousData,
  })),
);
const waiting = computed(
  () => open.value && (typed.value !== like.value || offers.isPlaceholderData.value || offers.isLoading.value),
);
const options = computed(() =>
  (offers.data.value ?? []).map((one) => ({
    value: one.value,
    label: one.label,
    note: one.count == null ? (one.label === one.value ? undefined : one.value) : count(one.count),
  })),
);
const label = computed(() => `Value of ${props.offered?.label ?? "the field"}`);
const example = computed(() => ({ date: "2026-11-16", moment: "2026-11-16T09:30:00Z" })[kind.value] ?? "a number");
function set(at: number, value: string): void {
  const now = [...props.clause.values];
  now[at] = value;
  emit("values", now);
}
const lookedFor = inject(LOOKED_FOR, ref(0));
/** What entered texts turned out to mean, until the clause that this is of has it: several may be known at once. */
const meant = new Map<string, string>();
let gone = false;
onBeforeUnmount(() => (gone = true));
/** What is offered for a text; nothing where it cannot be known. A question that the field no longer looks at is not
 * asked again by itself, so it is asked again from here, while its text stands. */
async function offersOf(text: string, stands: () => boolean): Promise<readonly { value: string; label: string }[]> {
  try {
    return await queryClient.query(valuesLike(text));
  } catch (error) {
    return passing(error) && stands() ? offersOf(text, stands) : [];
  }
}
/** What was entered before its offers were there stands as it was typed until then, and is the first of them after. */
async function early(text: string): Promise<void> {
  const field = props.clause.field;
  if (many.value) add(text);
  else set(0, text);
  lookedFor.value++;
  const stands = (): boolean => !gone && field === props.clause.field && props.clause.values.includes(text);
  const offered = await offersOf(text, stands).finally(() => lookedFor.value--);
  const value = offered.find((one) => `${one.label} ${one.value}`.toLowerCase().includes(text.toLowerCase()))?.value;
  if (value === undefined || !stands()) return;
  meant.set(text, value);
  emit("values", [...new Set(props.clause.values.map((one) => meant.get(one) ?? one))]);
  void nextTick(() => meant.delete(text));
}
function add(value: string): void {
  if (value && !props.clause.values.includes(value)) emit("values", [...props.clause.values, value]);
}
const places = computed(() => (props.clause.does === "between" ? [0, 1] : [0]));
</script>

<template>
  <template v-if="takesNone(clause.does)" />
  <template v-else-if="plain">
    <template v-for="at in places" :key="at">
      <span v-if="at" class="soft"> and </span>
      <input
        class="part-input mono"
        :class="{ unsaid: !clause.values[at] }"
        :style="{ width: `${Math.max(days ? 4 : 10, (clause.values[at] ?? '').length + 2)}ch` }"
        :value="clause.values[at] ?? ''"
        :aria-label="label + (at ? ', upper end' : '')"
        :placeholder="days ? '30' : example"
        spellcheck="false"
        @input="set(at, ($event.target as HTMLInputElement).value)"
        @keydown.stop
      />
    </template>
    <span v-if="days"> days</span>
  </template>
  <template v-else-if="many">
    <template v-for="(value, at) in clause.values" :key="value">
      <span v-if="at" class="soft"> or </span>
      <button
        type="button"
        class="part-value"
        :aria-label="`Leave ${value} out`"
        :title="`Leave ${value} out`"
        @click="
          emit(
            'values',
            clause.values.filter((other) => other !== value),
          )
        "
      >
        {{ value }}
      </button>
    </template>
    <SearchPart
      model-value=""
      clears
      free
      :label="label"
      :waiting="waiting"
      :empty="clause.values.length ? '+ or' : 'which?'"
      :options="options.filter((one) => !clause.values.includes(one.value))"
      @opened="open = true"
      @typed="typed = $event"
      @early="early"
      @chosen="
        typed = '';
        add($event);
      "
    />
  </template>
  <SearchPart
    v-else
    :model-value="clause.values[0] ?? ''"
    free
    :typed-first="!['is', 'is-not', 'has', 'has-not', 'below', 'below-not'].includes(clause.does)"
    bold
    :label="label"
    empty="which?"
    :waiting="waiting"
    :options="options"
    @opened="open = true"
    @typed="typed = $event"
    @early="early"
    @chosen="
      typed = '';
      set(0, $event);
    "
  />
</template>
