<script setup lang="ts">
/** Counts and control totals of the sheet: beside what is planned and what was written, and what a person expects. */
import { computed, ref } from "vue";

import type { Column } from "@/api/client";
import { count, exact } from "@/parts/format";

import { useTripContext } from "../context";
import { useEditing } from "../edit/editing";

const props = defineProps<{
  /** What is shown beside the sheet's own sums. */
  beside?: "planned" | "written";
}>();
const { trip, mayPrepare } = useTripContext();
const { expect, open } = useEditing();
const sums = computed(() => trip.value.columns.filter((c) => c.totals?.sum));
const report = computed(() => trip.value.passes.findLast((one) => one.report)?.report);
const expected = (what: string) => trip.value.expected.find((one) => one.what === what);
const asked = ref<string>();
const typed = ref("");

function ask(what: string): void {
  asked.value = what;
  typed.value = expected(what)?.expected ?? "";
}
function keep(): void {
  const what = asked.value;
  asked.value = undefined;
  const rows = expected("")?.expected;
  if (what === "") {
    const number = Number(typed.value.replace(/\D/g, ""));
    expect({ rows: typed.value.trim() ? number : null });
  } else if (what) expect({ rows: rows ? Number(rows) : null, sums: { [what]: typed.value } });
}
/** The field's own sums: all rows, as they will be, as they are, and after. */
function lines(column: Column): { says: string; sum: string | null | undefined }[] {
  const name = column.field_name ?? "";
  const planned = trip.value.planned_totals[name];
  const after = report.value?.totals?.[name];
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
const words = (off: string): string =>
  off === "?" ? "cannot be told" : off.startsWith("-") ? `${exact(off.slice(1))} less` : `${exact(off.slice(1))} more`;
</script>

<template>
  <section class="card" data-testid="totals">
    <b>Counts and totals</b>
    <table class="mt-1 w-full text-small">
      <caption class="sr-only">
        Rows and sums, and what is expected
      </caption>
      <tbody>
        <tr v-for="what in ['', ...sums.map((c) => c.header)]" :key="what" class="border-t border-rule align-top">
          <th scope="row" class="py-1 pr-2 text-left font-normal break-words">
            {{ what || "Rows" }}
            <template v-for="column in sums.filter((c) => c.header === what)" :key="column.column"
              ><span class="soft block text-data"
                >{{ count(column.filled) }} filled, {{ count(column.different) }} different;
                {{ exact(column.totals?.least) }} to {{ exact(column.totals?.greatest) }}</span
              >
              <span v-for="line in lines(column)" :key="line.says" class="soft flex justify-between text-data"
                ><span>{{ line.says }}</span></span
              >
            </template>
          </th>
          <td class="py-1 text-right">
            <span class="mono block">{{
              what ? exact(sums.find((c) => c.header === what)?.totals?.sum) : count(trip.rows)
            }}</span>
            <span v-if="what" class="soft block text-data">&nbsp;</span>
            <template v-for="column in sums.filter((c) => c.header === what)" :key="column.column"
              ><span v-for="line in lines(column)" :key="line.says" class="mono soft block text-data">{{
                exact(line.sum) || "—"
              }}</span></template
            >
            <form v-if="asked === what" class="mt-1" @submit.prevent="keep()">
              <input
                v-model="typed"
                class="input mono !min-h-6 !w-28 !py-0 text-right"
                :aria-label="what ? `Expected sum of ${what}` : 'Expected rows'"
                name="expected"
                autocomplete="off"
                @vue:mounted="({ el }: { el: HTMLElement }) => el.focus()"
                @keydown.esc="asked = undefined"
              />
            </form>
            <template v-else>
              <span
                v-if="expected(what)"
                class="block text-data font-semibold"
                :class="expected(what)?.off ? 'text-reject' : 'text-create'"
                >{{
                  expected(what)?.off
                    ? `expected ${expected(what)?.expected}: ${words(expected(what)?.off ?? "")}`
                    : "as expected"
                }}</span
              >
              <button
                v-if="mayPrepare"
                type="button"
                class="text-data text-marine underline"
                :disabled="!open"
                :aria-label="what ? `Say the expected sum of ${what}` : 'Say how many rows are expected'"
                @click="ask(what)"
              >
                {{ expected(what) ? "change" : "expect…" }}
              </button>
            </template>
          </td>
        </tr>
      </tbody>
    </table>
  </section>
</template>
