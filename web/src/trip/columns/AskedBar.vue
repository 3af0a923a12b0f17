<script setup lang="ts">
/** What is still asked about the columns, with one answer for all that is sure. */
import { computed } from "vue";

import type { Column, Field } from "@/api/client";
import { many } from "@/parts/format";
import AnswerButtons from "@/ui/AnswerButtons.vue";

import { useTripContext } from "../context";
import type { Option } from "./lanes";

defineProps<{ missing: readonly Field[]; disabled?: boolean }>();
const emit = defineEmits<{ answer: [answers: Option[]]; look: [at: number]; add: [field: string] }>();
const { trip } = useTripContext();
const asking = computed(() =>
  trip.value.columns.map((column, at) => ({ at, column })).filter(({ column }) => column.questions.length),
);
const asked = computed(() => asking.value.flatMap(({ column }) => column.questions));
const sure = computed(() =>
  asked.value.flatMap((question) => (question.sure && question.options[0] ? [question.options[0]] : [])),
);
const open = computed(() => trip.value.columns.filter((column) => column.open && column.header));
const unlikely = computed(() => open.value.filter((column) => !column.questions.some((one) => one.sure)));
/** Columns with one header are told apart by their letters: their question names them. */
const leftOut = (column: Column): Record<string, string> =>
  column.questions.find((one) => one.code === "field")?.options.at(-1)?.columns ?? { [column.header]: "" };
const leaveOut = (): void => {
  emit("answer", [
    {
      says: "",
      columns: Object.assign({}, ...unlikely.value.map(leftOut)) as Record<string, string>,
      lanes: {},
      without: false,
      marks: false,
    },
  ]);
};
const route = computed(() => trip.value.on_route);
</script>

<template>
  <div
    v-if="asked.length || missing.length || route"
    class="flex flex-wrap items-center gap-x-3 gap-y-1.5 border-b border-rule bg-panel px-3 py-1.5 text-small"
    data-testid="asked"
  >
    <template v-if="route">
      <span
        >On the route <b>{{ route.name }}</b
        ><template v-if="route.missing.length"
          >, but this sheet lacks <b class="mono text-held">{{ route.missing.join(", ") }}</b></template
        ><template v-if="route.new.length"
          >, and has <b class="mono text-held">{{ route.new.join(", ") }}</b> besides</template
        >.</span
      >
      <button
        v-if="route.missing.length && !route.without"
        type="button"
        class="btn sm"
        :disabled="disabled"
        @click="emit('answer', [{ says: '', columns: {}, lanes: {}, without: true, marks: false }])"
      >
        Go on without
      </button>
      <AnswerButtons
        v-if="route.missing.length && !route.without"
        :answers="route.instead"
        :disabled="disabled"
        @chosen="emit('answer', [$event])"
      />
    </template>
    <template v-if="asked.length">
      <span>
        <b class="text-held">? {{ many(asked.length, "question", "questions") }}:</b>
        <template v-for="({ at, column }, place) in asking" :key="at"
          >{{ place ? ", " : " "
          }}<button type="button" class="font-semibold text-marine underline" @click="emit('look', at)">
            {{ column.header || column.label }}
          </button></template
        >
      </span>
      <button v-if="sure.length" type="button" class="btn sm" :disabled="disabled" @click="emit('answer', sure)">
        Take the {{ sure.length === 1 ? "sure answer" : `${sure.length} sure answers` }}
      </button>
      <button v-if="unlikely.length" type="button" class="btn sm" :disabled="disabled" @click="leaveOut()">
        Leave {{ unlikely.length === 1 ? `“${unlikely[0]?.header}”` : `${unlikely.length} unknown columns` }} out
      </button>
    </template>
    <span v-if="missing.length">
      <b class="text-held">Required for new records, and in no column:</b>
      <template v-for="(field, place) in missing" :key="field.name"
        >{{ place ? ", " : " "
        }}<button type="button" class="font-semibold text-marine underline" @click="emit('add', field.name)">
          {{ field.label }}
        </button></template
      >. Give a fixed value or a column, or only update.
    </span>
  </div>
</template>
