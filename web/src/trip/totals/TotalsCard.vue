<script setup lang="ts">
/** Counts and control totals of the sheet: beside what is planned and what was written, and what a person expects. */
import { computed, ref } from "vue";

import type { Column } from "@/api/client";
import { asTyped, count, exact } from "@/parts/format";

import { useTripContext } from "../context";
import { useEditing } from "../edit/editing";

const props = defineProps<{
  /** What is shown beside the sheet's own sums. */
  beside?: "planned" | "written";
}>();
const { trip, mayPrepare } = useTripContext();
const { expect, open } = useEditing();
const NUMBERS = ["decimal", "whole number"];
/** Columns of numbers: by their field, or by what stands in them where they have none. */
const sums = computed(() => trip.value.columns.filter((c) => c.totals?.sum && (!c.kind || NUMBERS.includes(c.kind))));
const report = computed(() => trip.value.passes.findLast((one) => one.report)?.report);
const expected = (what: string) => trip.value.expected.find((one) => one.what === what);
const asked = ref<string>();
const typed = ref("");

/** What is expected, as its reader writes it; kept is what somebody typed. */
const plainly = (kept: string, minus?: string): string => exact(kept.replaceAll(",", ""), minus);

function ask(what: string): void {
  asked.value = what;
  const kept = expected(what)?.expected;
  typed.value = kept ? plainly(kept, "-") : "";
}
function keep(): void {
  const what = asked.value;
  asked.value = undefined;
  const rows = expected("")?.expected;
  if (what === "") {
    const number = Number(typed.value.replace(/\D/g, ""));
    expect({ rows: typed.value.trim() ? number : null });
  } else if (what) expect({ rows: rows ? Number(rows) : null, sums: { [what]: asTyped(typed.value) } });
}
/** The field's own sums: as planned, as they are, and after. */
function besides(column: Column): { says: string; sum: string | null | undefined }[] {
  const name = column.field ?? "";
  const planned = trip.value.planned_totals[name];
  const after = report.value?.totals[name];
  if (props.beside === "written" && after)
    return [
      { says: "as planned", sum: after.planned },
      { says: "application before", sum: after.before },
      { says: "application after", sum: after.after },
    ];
  if (!planned || !props.beside) return [];
  return [
    { says: "as planned", sum: planned.planned },
    { says: "application now", sum: planned.before },
  ];
}
const lines = computed(() => [
  { what: "", sum: count(trip.value.rows), says: "", others: [], expected: expected("") },
  ...sums.value.map((column) => ({
    what: column.header,
    sum: exact(column.totals?.sum),
    says:
      `${count(column.filled)} filled, ${count(column.different)} different, ` +
      `${exact(column.totals?.least)} to ${exact(column.totals?.greatest)}` +
      (column.totals && column.totals.numbers < column.filled
        ? `; ${count(column.filled - column.totals.numbers)} of them no number`
        : ""),
    others: besides(column),
    expected: expected(column.header),
  })),
]);
const words = (off: string): string =>
  off === "?" ? "cannot be told" : off.startsWith("-") ? `${exact(off.slice(1))} less` : `${exact(off.slice(1))} more`;
</script>

<template>
  <section class="card !px-0 !py-1" data-testid="totals" aria-label="Counts and totals">
    <div v-for="one in lines" :key="one.what" class="border-t border-rule px-3 py-1.5 first:border-0">
      <p class="flex flex-wrap items-baseline gap-x-2">
        <span class="max-w-full font-semibold break-words">{{ one.what || "Rows" }}</span>
        <span class="mono ml-auto text-right wrap-anywhere !text-ink">{{ one.sum }}</span>
      </p>
      <p v-if="one.says" class="text-data break-words">{{ one.says }}</p>
      <p v-for="other in one.others" :key="other.says" class="flex flex-wrap gap-x-2 text-data">
        <span>{{ other.says }}</span
        ><span class="mono ml-auto text-right wrap-anywhere">{{ exact(other.sum) || "—" }}</span>
      </p>
      <form v-if="asked === one.what" class="mt-1 flex items-center justify-end gap-2" @submit.prevent="keep()">
        <span class="text-data">expected</span>
        <input
          v-model="typed"
          class="input mono !min-h-6 !w-32 !py-0 text-right"
          :aria-label="one.what ? `Expected sum of ${one.what}` : 'Expected rows'"
          name="expected"
          autocomplete="off"
          @vue:mounted="({ el }: { el: HTMLElement }) => el.focus()"
          @keydown.esc="asked = undefined"
        />
      </form>
      <p v-else class="flex flex-wrap items-baseline justify-end gap-2 text-data">
        <span
          v-if="one.expected"
          class="font-semibold"
          :class="one.expected.off ? '!text-reject' : '!text-create'"
          data-testid="checked"
          >{{
            one.expected.off ? `expected ${plainly(one.expected.expected)}: ${words(one.expected.off)}` : "as expected"
          }}</span
        >
        <button
          v-if="mayPrepare"
          type="button"
          class="min-h-6 text-marine underline"
          :disabled="!open"
          :aria-label="`${one.expected ? 'change' : 'expect…'} ${one.what ? `a sum of ${one.what}` : 'a number of rows'}`"
          @click="ask(one.what)"
        >
          {{ one.expected ? "change" : "expect…" }}
        </button>
      </p>
    </div>
  </section>
</template>
