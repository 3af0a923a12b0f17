<script setup lang="ts">
/** A column before and after: figures, chart, and its commonest changes, each a filter. */
import { useQuery } from "@tanstack/vue-query";
import { computed, ref, shallowRef, watch } from "vue";

import { api, data, type Column } from "@/api/client";
import { lookedAt } from "@/api/part";
import { count, exact, many } from "@/parts/format";

import { useTripContext } from "../context";
import { described, draw } from "./drawing";

const props = defineProps<{ column: Column }>();
/** The change whose rows are shown, as a list of two texts in JSON; empty for none. */
const change = defineModel<string>("change", { default: "" });
const emit = defineEmits<{ filter: [field: string, change: string] }>();
const { trip } = useTripContext();
const { data: picture } = useQuery({
  queryKey: computed(() => ["picture", trip.value.id, lookedAt.value, trip.value.plan?.number, props.column.field]),
  queryFn: () =>
    data(
      api.GET("/api/trips/{id}/picture", {
        params: { path: { id: trip.value.id }, query: { field: props.column.field ?? "" } },
      }),
    ),
  enabled: computed(() => !!props.column.field && props.column.carried),
  staleTime: Infinity,
  retry: false,
});
const place = ref<HTMLElement>();
const drawn = shallowRef<Element | null>(null);
watch([picture, place], async ([now, where]) => {
  if (!now || !where) return;
  const plot = await import("@observablehq/plot");
  if (picture.value !== now) return;
  drawn.value = draw(plot, now);
  where.replaceChildren(...(drawn.value ? [drawn.value] : []));
});
const label = computed(() => props.column.label ?? props.column.header);
const most = computed(() => Math.max(1, ...(picture.value?.changes.map((one) => one.count) ?? [])));
const more = computed(() => (picture.value?.different_changes ?? 0) - (picture.value?.changes.length ?? 0));
const key = (one: { old: string; new: string }): string => JSON.stringify([one.old, one.new]);
const figures = computed(() => {
  const now = picture.value;
  if (!now) return [];
  const { before, after } = now;
  const lines: [string, string, string][] = [["filled", count(before.filled), count(after.filled)]];
  if (before.sum != null || after.sum != null) lines.push(["sum", exact(before.sum ?? "0"), exact(after.sum ?? "0")]);
  if (before.least != null || after.least != null) {
    lines.push(["least", before.least ?? "—", after.least ?? "—"]);
    lines.push(["greatest", before.greatest ?? "—", after.greatest ?? "—"]);
  }
  return lines;
});
const waits = computed(() =>
  [
    props.column.held && `${count(props.column.held)} held`,
    props.column.unreadable && `${count(props.column.unreadable)} cannot be read`,
  ]
    .filter(Boolean)
    .join(" · "),
);
</script>

<template>
  <section class="card grid gap-1.5 text-small" data-testid="picture">
    <b>{{ label }}, {{ many(column.changed, "change", "changes") }}</b>
    <template v-if="picture">
      <div ref="place" role="img" :aria-label="described(picture, label)" />
      <p v-if="drawn" class="soft flex gap-3 text-fine">
        <span><i class="mr-1 inline-block h-2.5 w-3 bg-rule-strong" />now</span>
        <span v-if="picture.bars.length"
          ><i class="mr-1 inline-block w-3 border-t-2 border-update align-middle" />after apply{{
            picture.shown === "lengths" ? ", by length in characters" : ""
          }}</span
        >
        <span v-else><i class="mr-1 inline-block h-2.5 w-3 bg-update" />after apply</span>
        <span v-if="picture.other_values">{{ many(picture.other_values, "other value", "other values") }}</span>
      </p>
      <table class="w-full text-fine">
        <thead>
          <tr class="soft text-right">
            <th><span class="sr-only">Figure</span></th>
            <th class="font-normal">now</th>
            <th class="font-normal">after</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="[name, before, after] in figures" :key="name" class="text-right">
            <th class="soft text-left font-normal" scope="row">{{ name }}</th>
            <td class="mono">{{ before }}</td>
            <td class="mono" :class="{ 'font-bold text-update': before !== after }">{{ after }}</td>
          </tr>
        </tbody>
      </table>
      <p v-if="waits" class="soft">{{ waits }}</p>
      <template v-if="picture.changes.length">
        <b class="mt-1">Commonest changes</b>
        <ul class="grid gap-0.5" aria-label="Commonest changes">
          <li v-for="one in picture.changes" :key="key(one)">
            <button
              type="button"
              class="change-bar"
              :style="{ '--share': `${(100 * one.count) / most}%` }"
              :aria-pressed="change === key(one)"
              @click="emit('filter', column.field ?? '', change === key(one) ? '' : key(one))"
            >
              <span class="mono truncate">{{ one.old || "empty" }} → {{ one.new || "empty" }}</span>
              <span class="ml-auto">{{ count(one.count) }}</span>
            </button>
          </li>
        </ul>
        <p v-if="more > 0" class="soft">and {{ many(more, "other change", "other changes") }}</p>
      </template>
      <details v-if="picture.bars.length || picture.values.length">
        <summary class="cursor-pointer text-marine">The chart as a table</summary>
        <table class="mt-1 w-full text-fine">
          <thead>
            <tr class="soft text-right">
              <th class="text-left font-normal">{{ picture.bars.length ? "from, to below" : "value" }}</th>
              <th class="font-normal">now</th>
              <th class="font-normal">after</th>
            </tr>
          </thead>
          <tbody class="mono text-right">
            <tr v-for="bar in picture.bars" :key="`${bar.low} ${bar.high}`" :class="{ 'text-reject': bar.far }">
              <td class="text-left">{{ bar.low || "less" }} … {{ bar.high || "more" }}</td>
              <td>{{ count(bar.before) }}</td>
              <td>{{ count(bar.after) }}</td>
            </tr>
            <tr v-for="bar in picture.bars.length ? [] : picture.values" :key="bar.value">
              <td class="text-left">{{ bar.value }}</td>
              <td>{{ count(bar.before) }}</td>
              <td>{{ count(bar.after) }}</td>
            </tr>
          </tbody>
        </table>
      </details>
    </template>
    <p v-else-if="column.before != null" class="mono">
      {{ exact(column.before) }} → <b class="text-ink">{{ exact(column.after) }}</b>
    </p>
  </section>
</template>
