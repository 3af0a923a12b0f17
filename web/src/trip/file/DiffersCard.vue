<script setup lang="ts">
/** What a newer version of a sheet has other than the one before. */
import { computed } from "vue";

import type { Schemas } from "@/api/client";
import { many } from "@/parts/format";

const props = defineProps<{ differs: Schemas["Differs"] }>();
const FEW = 12;
const says = computed(() => {
  const { cells, rows, new_rows: fresh, left_out: out, laid_over: laid } = props.differs;
  const parts = [];
  if (laid) parts.push(`${many(laid, "row", "rows")} laid over the sheet that they came from, the others stay`);
  if (cells) parts.push(`${many(cells, "cell", "cells")} in ${many(rows, "row", "rows")} changed`);
  if (fresh) parts.push(many(fresh, "new row", "new rows"));
  if (out) parts.push(`${many(out, "row", "rows")} left out`);
  for (const header of props.differs.new_columns) parts.push(`new column “${header || "no name"}”`);
  for (const header of props.differs.columns_left_out) parts.push(`column “${header || "no name"}” left out`);
  return parts.length ? `${parts.join(" · ")}.` : "All cells are as they were.";
});
</script>

<template>
  <section class="card" data-testid="differs">
    <b>Against the version before</b>
    <p class="mt-1">{{ says }}</p>
    <table v-if="differs.first.length" class="mt-1.5 w-full table-fixed text-data">
      <caption class="sr-only">
        The first cells that changed
      </caption>
      <tbody>
        <tr v-for="one in differs.first.slice(0, FEW)" :key="`${one.row} ${one.header}`" class="border-t border-rule">
          <th scope="row" class="soft w-10 py-0.5 text-right align-top font-normal">{{ one.row }}</th>
          <td class="w-20 truncate px-2 align-top" :title="one.header">{{ one.header }}</td>
          <td class="mono break-words">{{ one.before ?? "blank" }} → {{ one.after ?? "blank" }}</td>
        </tr>
      </tbody>
    </table>
    <p v-if="differs.cells > Math.min(FEW, differs.first.length)" class="soft mt-1 text-small">
      {{ many(differs.cells - Math.min(FEW, differs.first.length), "more cell", "more cells") }}
    </p>
  </section>
</template>
