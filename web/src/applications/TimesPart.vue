<script setup lang="ts">
/** When records of a type may be written, as a sentence: days, from when to when, in which time zone. */
import type { Schemas } from "@/api/client";
import { zone } from "@/parts/reading";

type Times = NonNullable<Schemas["TypeRules"]["times"]>;
type Day = NonNullable<Times["days"]>[number];
const { times, of } = defineProps<{ times: Times | null; of: string; disabled: boolean }>();
const emit = defineEmits<{ set: [times: Times | null] }>();
const DAYS: Day[] = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];
const TIME = /^([01]\d|2[0-3]):[0-5]\d$/;
function choose(event: Event): void {
  if (!(event.target instanceof HTMLSelectElement)) return;
  emit("set", event.target.value ? { days: DAYS, from: "20:00", to: "06:00", zone: zone.value } : null);
}
function move(end: "from" | "to", event: Event): void {
  if (!times || !(event.target instanceof HTMLInputElement)) return;
  if (TIME.test(event.target.value)) emit("set", { ...times, [end]: event.target.value });
  else event.target.value = times[end];
}
function day(one: Day, on: boolean): void {
  const days = DAYS.filter((other) => (other === one ? on : (times?.days ?? DAYS).includes(other)));
  if (times && days.length) emit("set", { ...times, days });
}
</script>

<template>
  <span class="flex flex-wrap items-center gap-2" :data-testid="`times-${of}`">
    <span class="soft">written</span>
    <select
      class="guard-part"
      :aria-label="`When ${of} are written`"
      :value="times ? 'times' : ''"
      :disabled="disabled"
      @change="choose"
    >
      <option value="">at all times</option>
      <option value="times">at these times alone</option>
    </select>
    <template v-if="times">
      from
      <input
        :key="times.from"
        type="time"
        class="guard-part mono"
        :aria-label="`From when ${of} are written`"
        :value="times.from"
        :disabled="disabled"
        @change="move('from', $event)"
      />
      to
      <input
        :key="times.to"
        type="time"
        class="guard-part mono"
        :aria-label="`Until when ${of} are written`"
        :value="times.to"
        :disabled="disabled"
        @change="move('to', $event)"
      />
      on
      <label v-for="one in DAYS" :key="one" class="flex items-center gap-1">
        <input
          type="checkbox"
          :checked="(times.days ?? DAYS).includes(one)"
          :disabled="disabled"
          :aria-label="`${of} are written on ${one}`"
          @change="day(one, !(times.days ?? DAYS).includes(one))"
        />{{ one }}
      </label>
      <span class="soft">{{ times.zone }}</span>
    </template>
  </span>
</template>
