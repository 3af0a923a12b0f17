<script setup lang="ts">
/** What a spreadsheet did to the sheet's cells, by kind and column; what stood there is put back in one action. */
import { computed } from "vue";

import { count, many } from "@/parts/format";
import VerdictSign from "@/parts/VerdictSign.vue";

import { useTripContext } from "../context";
import { useEditing } from "../edit/editing";
import { useDeciding } from "../rows/deciding";

const { trip, mayPrepare } = useTripContext();
const { edit, open } = useEditing();
const { decide, open: mayDecide } = useDeciding();
/** What stands there is so on purpose: it is not told any more. */
function mean({ field, count: cells, meant }: { field: string; count: number; meant: number }): void {
  decide({ answer: "file", code: "damaged", field, count: cells - meant });
}
const repairs = computed(() => trip.value.damage.reduce((sum, one) => sum + one.repairs, 0));
const fixable = computed(() => open.value && !!trip.value.plan?.current);
function repair(kind: string, column: string, number: number): void {
  const plan = trip.value.plan?.number;
  edit(
    { kind: "repair", plan, damage: kind, column },
    `${many(number, "cell is", "cells are")} as they went out. Undo it among the edits.`,
  );
}
const rowsOf = (one: { rows: number[]; count: number }): string =>
  `${one.count === 1 ? "row" : "rows"} ${one.rows.map((row) => count(row)).join(", ")}${one.count > one.rows.length ? ", …" : ""}`;
</script>

<template>
  <section v-if="trip.damage.length" class="card" data-testid="damage">
    <b>What a spreadsheet did</b>
    <ul class="mt-1 grid gap-2 text-small">
      <li v-for="one in trip.damage" :key="one.kind + one.column" class="grid grid-cols-[18px_minmax(0,1fr)] gap-2">
        <VerdictSign verdict="held" />
        <div>
          <span class="break-words"
            ><b>{{ one.header }}</b>: {{ many(one.count, "cell", "cells") }}, {{ one.says }} ({{ rowsOf(one) }}).
            <template v-if="one.kind !== 'read-only' && one.sure < one.count">{{
              one.sure ? `${count(one.sure)} for certain.` : "Not certain."
            }}</template></span
          >
          <span class="mono block truncate"
            >{{ one.text }}<template v-if="one.repair"> → {{ one.repair }}</template></span
          >
          <button
            v-if="mayPrepare && one.repairs"
            type="button"
            class="btn sm mt-1"
            :disabled="!fixable"
            @click="repair(one.kind, one.column, one.repairs)"
          >
            Put back {{ many(one.repairs, "cell", "cells") }}
          </button>
          <button
            v-if="mayPrepare && one.field && one.kind !== 'read-only' && one.meant < one.count"
            type="button"
            class="btn sm mt-1 ml-1.5"
            :disabled="!mayDecide || !fixable"
            :aria-label="`${one.header}, ${one.says}: ${one.count - one.meant === 1 ? 'it is' : 'they are'} meant`"
            @click="mean(one)"
          >
            {{ one.count - one.meant === 1 ? "It is meant" : "They are meant" }}
          </button>
          <span v-if="one.meant" class="soft block">{{ many(one.meant, "cell is", "cells are") }} meant.</span>
        </div>
      </li>
    </ul>
    <button
      v-if="mayPrepare && trip.damage.filter((one) => one.repairs).length > 1"
      type="button"
      class="btn sm go mt-2"
      :disabled="!fixable"
      @click="repair('', '', repairs)"
    >
      Put back all {{ count(repairs) }}
    </button>
  </section>
</template>
