<script setup lang="ts">
/** What may be done to the records of an application, by record type. */
import { useQuery } from "@tanstack/vue-query";
import { computed } from "vue";

import { api, data, queryClient, type Schemas } from "@/api/client";
import { useMay } from "@/api/queries";
import { useDoing } from "@/ui/doing";

import FieldChips from "./FieldChips.vue";
import TimesPart from "./TimesPart.vue";

type Rules = Schemas["Rules"];
type TypeRules = Rules["types"][number];
type Doing = TypeRules["deny"][number];
const props = defineProps<{ name: string; label: string }>();
const mayConnect = useMay("connect");
const params = computed(() => ({ path: { name: props.name } }));
const { data: rules } = useQuery({
  queryKey: computed(() => ["rules", props.name]),
  queryFn: () => data(api.GET("/api/applications/{name}/rules", { params: params.value })),
});
const { busy, start } = useDoing(
  (said: Rules["said"]) => data(api.PUT("/api/applications/{name}/rules", { params: params.value, body: { said } })),
  { after: () => queryClient.invalidateQueries() },
);
const DOINGS: { doing: Doing; says: string }[] = [
  { doing: "create", says: "created" },
  { doing: "update", says: "updated" },
  { doing: "delete", says: "deleted" },
];
const never = (of: TypeRules) => of.writable.filter((field) => field.never);
const others = (of: TypeRules) => of.writable.filter((field) => !field.never);

type Approve = TypeRules["approve"];
function set(of: TypeRules, deny: readonly Doing[], fields: readonly string[], approve: Approve = of.approve): void {
  say(of, { deny: [...deny], never: [...fields], approve, ...(of.times ? { times: of.times } : {}) });
}
const masked = (of: TypeRules) => of.kept.filter((field) => field.masked);
function say(of: TypeRules, said: Rules["said"][string]): void {
  const names = masked(of).map((field) => field.name);
  start({ ...rules.value?.said, [of.name]: { ...(names.length ? { masked: names } : {}), ...said } });
}
function mask(of: TypeRules, field: string, on: boolean): void {
  const names = masked(of)
    .map((one) => one.name)
    .filter((one) => one !== field);
  say(of, {
    deny: of.deny,
    never: never(of).map((one) => one.name),
    approve: of.approve,
    ...(of.times ? { times: of.times } : {}),
    masked: on ? [...names, field] : names,
  });
}
function times(of: TypeRules, when: NonNullable<TypeRules["times"]> | null): void {
  const fields = never(of).map((field) => field.name);
  say(of, { deny: of.deny, never: fields, approve: of.approve, ...(when ? { times: when } : {}) });
}
/** Which plans somebody else approves first: one of these, with a number where it is about how many. */
const APPROVALS: { when: string; says: string }[] = [
  { when: "", says: "no plan" },
  { when: "always", says: "every plan" },
  { when: "deletes", says: "plans that delete" },
  { when: "above", says: "plans that write more than" },
  { when: "both", says: "plans that delete, or write more than" },
];
function whenOf({ always, deletes, above }: Approve): string {
  if (always) return "always";
  if (above != null) return deletes ? "both" : "above";
  return deletes ? "deletes" : "";
}
function approve(of: TypeRules, when: string, above: number): void {
  const said: Approve = {};
  if (when === "always") said.always = true;
  if (when === "deletes" || when === "both") said.deletes = true;
  if (when === "above" || when === "both") said.above = above;
  set(
    of,
    of.deny,
    never(of).map((field) => field.name),
    said,
  );
}
function choose(of: TypeRules, event: Event): void {
  if (event.target instanceof HTMLSelectElement) approve(of, event.target.value, of.approve.above ?? 100);
}
function limit(of: TypeRules, event: Event): void {
  if (!(event.target instanceof HTMLInputElement)) return;
  const typed = event.target.value.trim();
  if (/^\d{1,9}$/.test(typed)) approve(of, whenOf(of.approve), Number(typed));
  else event.target.value = String(of.approve.above ?? 100);
}
function allow(of: TypeRules, doing: Doing, allowed: boolean): void {
  const others = of.deny.filter((one) => one !== doing);
  set(
    of,
    allowed ? others : [...others, doing],
    never(of).map((field) => field.name),
  );
}
function write(of: TypeRules, field: string, written: boolean): void {
  const others = never(of)
    .map((one) => one.name)
    .filter((one) => one !== field);
  set(of, of.deny, written ? others : [...others, field]);
}
</script>

<template>
  <div class="min-h-0 flex-1 overflow-auto" tabindex="0" role="region" aria-label="Rules">
    <p class="soft px-4 py-2 text-small">
      What trips may do to the records of {{ label }}, whoever applies them, in the browser, by the API and the command
      line. A rule counts from now on: plans that were made before are made again, and a pass that is taken up again
      stops at it.
    </p>
    <ul v-if="rules" :aria-busy="busy">
      <li
        v-for="of in rules.types"
        :key="of.name"
        class="flex flex-wrap items-center gap-x-4 gap-y-1 border-b border-rule px-4 py-2"
        :data-testid="`rules-${of.name}`"
      >
        <b class="w-44 flex-none">{{ of.plural }}</b>
        <span class="soft">may be</span>
        <label v-for="one in DOINGS" :key="one.doing" class="flex w-24 items-center gap-1.5">
          <input
            type="checkbox"
            :checked="!of.deny.includes(one.doing)"
            :disabled="busy || !mayConnect"
            :aria-label="`${of.plural} may be ${one.says}`"
            @change="allow(of, one.doing, of.deny.includes(one.doing))"
          />
          <span :class="{ 'soft line-through': of.deny.includes(one.doing) }">{{ one.says }}</span>
        </label>
        <span class="soft">never written:</span>
        <FieldChips
          :chosen="never(of)"
          :others="others(of)"
          :may-change="mayConnect"
          :disabled="busy"
          :label="`A field of ${of.plural} that is never written`"
          :off="`of ${of.plural} may be written`"
          @add="write(of, $event, false)"
          @remove="write(of, $event, true)"
        />
        <span class="flex w-full flex-wrap items-center gap-2 pl-48">
          <span class="soft">nothing kept once a trip is over of:</span>
          <FieldChips
            :chosen="masked(of)"
            :others="of.kept.filter((one) => !one.masked)"
            :may-change="mayConnect"
            :disabled="busy"
            :label="`A field of ${of.plural} of which nothing is kept once a trip is over`"
            :off="`of ${of.plural} is kept like the others`"
            @add="mask(of, $event, true)"
            @remove="mask(of, $event, false)"
          />
        </span>
        <span class="flex w-full flex-wrap items-center gap-2 pl-48">
          <TimesPart :times="of.times" :of="of.plural" :disabled="busy || !mayConnect" @set="times(of, $event)" />
          <span class="soft">approved by somebody else first:</span>
          <select
            class="guard-part"
            :aria-label="`Which plans for ${of.plural} are approved`"
            :value="whenOf(of.approve)"
            :disabled="busy || !mayConnect"
            @change="choose(of, $event)"
          >
            <option v-for="one in APPROVALS" :key="one.when" :value="one.when">{{ one.says }}</option>
          </select>
          <template v-if="of.approve.above != null">
            <input
              :key="of.approve.above"
              class="guard-part mono w-16"
              inputmode="numeric"
              :aria-label="`Above how many records plans for ${of.plural} are approved`"
              :value="of.approve.above"
              :disabled="busy || !mayConnect"
              @change="limit(of, $event)"
            />
            records
          </template>
        </span>
      </li>
    </ul>
  </div>
</template>
