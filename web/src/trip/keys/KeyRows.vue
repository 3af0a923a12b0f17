<script setup lang="ts">
/** The rows behind a number, and all of them as a file. */
import { computed, toRef } from "vue";

import { withPart } from "@/api/part";
import { count, many } from "@/parts/format";

import { useTripContext } from "../context";
import { FINDS, type Finds, useKeyRows } from "./measured";

const props = defineProps<{ of: { fields: string[]; finds: Finds }; labels: string[] }>();
defineEmits<{ close: [] }>();
const { trip } = useTripContext();
const { data: rows } = useKeyRows(toRef(props, "of"));
const says = computed(() => FINDS.find((one) => one.finds === props.of.finds)?.says ?? "");
const file = computed(() => {
  const query = new URLSearchParams({ key: props.of.fields.join(","), finds: props.of.finds });
  return withPart(`/api/trips/${trip.value.id}/keys/rows.csv?${query.toString()}`);
});
const columns = computed(() => trip.value.columns.filter((column) => column.header));
</script>

<template>
  <section class="border-t border-rule" aria-live="polite" data-testid="key-rows">
    <div class="flex flex-wrap items-center gap-2 px-3 py-2">
      <h2>{{ many(rows?.total ?? 0, "row", "rows") }} that {{ says }} by {{ labels.join(" + ") }}</h2>
      <a class="btn sm" :href="file" download>Download them</a>
      <button type="button" class="btn sm" @click="$emit('close')">Close</button>
    </div>
    <div class="max-h-72 overflow-auto">
      <table v-if="rows" class="plain-table">
        <thead>
          <tr>
            <th>Row</th>
            <th v-for="column in columns" :key="column.column">{{ column.header }}</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in rows.rows" :key="row.row_id">
            <td class="mono">{{ row.row }}</td>
            <td v-for="(column, at) in columns" :key="column.column">{{ row.cells[at]?.text }}</td>
          </tr>
        </tbody>
      </table>
      <p v-if="rows && rows.total > rows.rows.length" class="soft px-3 py-2">
        The first {{ count(rows.rows.length) }} are shown; the file has all of them.
      </p>
    </div>
  </section>
</template>
