<script setup lang="ts">
/** Sharing out: one sheet for each value of a field, or for groups of values. */
import { useQuery } from "@tanstack/vue-query";
import { computed } from "vue";

import { api, data, type Schemas } from "@/api/client";
import { count, many } from "@/parts/format";
import SearchPart from "@/ui/SearchPart.vue";

import type { Offered } from "@/conditions/fields";

const props = defineProps<{ application: string; recordType: string; fields: readonly Offered[] }>();
const share = defineModel<Schemas["Share"] | null | undefined>({ required: true });
const FEW = 8;
const offers = useQuery({
  queryKey: computed(() => ["values", props.application, props.recordType, share.value?.by, ""]),
  queryFn: () =>
    data(
      api.GET("/api/applications/{name}/values", {
        params: {
          path: { name: props.application },
          query: { record_type: props.recordType, field: share.value?.by ?? "" },
        },
      }),
    ),
  enabled: computed(() => !!share.value?.by),
  staleTime: 60_000,
});
const values = computed(() => (offers.data.value ?? []).map((one) => one.value));
const groupOf = (value: string): string => share.value?.groups?.find((g) => g.values.includes(value))?.name ?? "";
function put(value: string, name: string): void {
  if (!share.value) return;
  const groups = (share.value.groups ?? []).map((g) => ({ ...g, values: g.values.filter((other) => other !== value) }));
  const own = groups.find((g) => g.name === name.trim());
  if (own) own.values.push(value);
  else if (name.trim()) groups.push({ name: name.trim(), values: [value] });
  share.value = { by: share.value.by, groups: groups.filter((g) => g.values.length) };
}
const options = computed(() => [
  ...(share.value ? [{ value: "", label: "(not shared out)" }] : []),
  ...props.fields.map((one) => ({ value: one.name, label: one.label })),
]);
</script>

<template>
  <section class="card" data-testid="share">
    <b>Share it out</b>
    <p class="sentence !text-body !text-ink">
      {{ share ? "One sheet for each" : "One sheet for all, or one for each" }}
      <SearchPart
        :model-value="share?.by ?? ''"
        label="Share out by"
        empty="which field?"
        bold
        :options="options"
        @chosen="share = $event ? { by: $event, groups: [] } : null"
      /><template v-if="share">. Vexo counts them back in.</template>
    </p>
    <template v-if="share && values.length">
      <p>
        {{ many(values.length, "value", "values") }} in the application{{
          share.groups?.length ? `, ${count(share.groups.length)} groups` : ""
        }}. A name beside a value puts it on a sheet with others of that name.
      </p>
      <table v-if="values.length <= 40" class="mt-1 w-full text-small">
        <tbody>
          <tr v-for="value in values.slice(0, values.length > FEW ? 40 : FEW)" :key="value">
            <th scope="row" class="mono max-w-28 truncate py-0.5 pr-2 text-left font-normal" :title="value">
              {{ value }}
            </th>
            <td>
              <input
                class="input !min-h-6 !py-0"
                :value="groupOf(value)"
                :aria-label="`Group of ${value}`"
                placeholder="its own"
                list="groups"
                @change="put(value, ($event.target as HTMLInputElement).value)"
              />
            </td>
          </tr>
        </tbody>
      </table>
      <datalist id="groups"><option v-for="g in share.groups" :key="g.name" :value="g.name" /></datalist>
    </template>
  </section>
</template>
