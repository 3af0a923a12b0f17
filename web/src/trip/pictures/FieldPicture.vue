<script setup lang="ts">
/** A column before and after: figures, chart, and its commonest changes, each a filter. */
import { useQuery } from "@tanstack/vue-query";
import { computed, ref, shallowRef, watch } from "vue";

import { api, data, type Column } from "@/api/client";
import { lookedAt } from "@/api/part";
import { count, exact, many } from "@/parts/format";

import { useTripContext } from "../context";
import { described, draw } from "./drawing";

const props = defineProps<{
  column: Column;
  /** What passes wrote, instead of what the plan does. */
  written?: boolean;
}>();
/** The change whose rows are shown, as a list of two texts in JSON; empty for none. */
const change = defineModel<string>("change", { default: "" });
const emit = defineEmits<{ filter: [field: string, change: string] }>();
const { trip } = useTripContext();
const { data: picture } = useQuery({
  queryKey: computed(() => [
    "picture",
    trip.value.id,
    lookedAt.value,
    props.written ? `passes ${trip.value.passes.map((one) => one.state).join()}` : trip.value.plan?.number,
    props.column.field,
  ]),
  queryFn: () => {
    const params = { path: { id: trip.value.id }, query: { field: props.column.field ?? "" } };
    return data(
      props.written
        ? api.GET("/api/trips/{id}/outcome/picture", { params })
        : api.GET("/api/trips/{id}/picture", { params }),
    );
  },
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
const words = computed(() =>
  props.written ? { before: "before", after: "after" } : { before: "now", after: "after apply" },
);
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
  <section class="card grid grid-cols-[minmax(0,1fr)] gap-1.5 text-small" data-testid="picture">
    <b>{{ label }}, {{ written ? "as written" : many(column.changed, "change", "changes") }}</b>
    <template v-if="picture">
      <div ref="place" role="img" :aria-label="described(picture, label, words)" />
      <p v-if="drawn" class="soft flex gap-3 text-fine">
        <span><i class="mr-1 inline-block h-2.5 w-3 bg-rule-strong" />{{ words.before }}</span>
        <span v-if="picture.bars.length"
          ><i class="mr-1 inline-block w-3 border-t-2 border-update align-middle" />{{ words.after
          }}{{ picture.shown === "lengths" ? ", by length in characters" : "" }}</span
        >
        <span v-else><i class="mr-1 inline-block h-2.5 w-3 bg-update" />{{ words.after }}</span>
        <span v-if="picture.other_values">{{ many(picture.other_values, "other value", "other values") }}</span>
      </p>
      <table class="w-full text-fine">
        <thead>
          <tr class="soft text-right">
            <th><span class="sr-only">Figure</span></th>
            <th class="font-normal">{{ words.before }}</th>
            <th class="font-normal">{{ words.after }}</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="[name, before, after] in figures" :key="name" class="text-right">
            <th class="soft text-left font-normal" scope="row">{{ name }}</th>
            <td class="mono pl-2 wrap-anywhere">{{ before }}</td>
            <td class="mono pl-2 wrap-anywhere" :class="{ 'font-bold text-update': before !== after }">{{ after }}</td>
          </tr>
        </tbody>
      </table>
      <p v-if="waits" class="soft">{{ waits }}</p>
      <template v-if="picture.changes.length">
        <b class="mt-1">Commonest changes</b>
        <ul class="grid grid-cols-[minmax(0,1fr)] gap-0.5" aria-label="Commonest changes">
          <li v-for="one in picture.changes" :key="key(one)">
            <component
              :is="written ? 'div' : 'button'"
              :type="written ? undefined : 'button'"
              class="change-bar"
              :style="{ '--share': `${(100 * one.count) / most}%` }"
              :aria-pressed="written ? undefined : change === key(one)"
              @click="written || emit('filter', column.field ?? '', change === key(one) ? '' : key(one))"
            >
              <span class="mono truncate">{{ one.old || "empty" }} → {{ one.new || "empty" }}</span>
              <span class="ml-auto">{{ count(one.count) }}</span>
            </component>
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
              <th class="font-normal">{{ words.before }}</th>
              <th class="font-normal">{{ words.after }}</th>
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
    <p v-else-if="column.before != null" class="mono wrap-anywhere">
      {{ exact(column.before) }} → <b class="text-ink">{{ exact(column.after) }}</b>
    </p>
  </section>
</template>
