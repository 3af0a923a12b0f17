<script setup lang="ts">
/** Guards, each a sentence whose underlined parts can be changed. */
import { type Guard, type Guards, type Said, sentence, withLimit, withMode } from "./guards";

const props = defineProps<{
  guards: Guards;
  mayChange: boolean;
  busy: boolean;
  /** Whose settings these are, for what is set here. */
  of: string;
}>();
const emit = defineEmits<{ set: [said: Said] }>();
const isMode = (text: string): text is Guard["mode"] => ["hold", "say", "off"].includes(text);
function choose(guard: Guard, event: Event): void {
  const mode = event.target instanceof HTMLSelectElement ? event.target.value : "";
  if (isMode(mode)) emit("set", withMode(props.guards.said, guard, mode));
}
function limit(guard: Guard, name: string, before: string, event: Event): void {
  const value = event.target instanceof HTMLInputElement ? event.target.value : "";
  if (value.trim() !== before) emit("set", withLimit(props.guards.said, guard, name, value));
}
const says = (guard: Guard): string => guard.modes.find((one) => one.mode === guard.mode)?.says ?? guard.mode;
const isSet = (guard: Guard): boolean => guard.said || guard.limits.some((one) => one.said);
function asUsual(guard: Guard): void {
  emit("set", Object.fromEntries(Object.entries(props.guards.said).filter(([name]) => name !== guard.name)));
}
</script>

<template>
  <ul class="flex flex-col" :aria-busy="busy">
    <li
      v-for="guard in guards.guards"
      :key="guard.name"
      class="flex items-baseline gap-3 border-b border-rule px-4 py-2"
      :data-testid="`guard-${guard.name}`"
    >
      <b class="w-32 flex-none">{{ guard.title }}</b>
      <p class="min-w-0 flex-1 leading-7" :class="{ soft: guard.mode === 'off' }">
        <template v-if="mayChange">
          <select
            class="guard-part"
            :aria-label="`What ${guard.title} does`"
            :value="guard.mode"
            :disabled="busy"
            @change="choose(guard, $event)"
          >
            <option v-for="one in guard.modes" :key="one.mode" :value="one.mode">{{ one.says }}</option>
          </select>
        </template>
        <template v-else>{{ says(guard) }}</template>
        where
        <template v-for="(part, at) in sentence(guard)" :key="at"
          ><input
            v-if="part.limit && mayChange"
            :key="part.limit.value"
            class="guard-part mono w-12"
            inputmode="decimal"
            :aria-label="`${guard.title}: ${part.limit.name}, from ${part.limit.least} to ${part.limit.most}`"
            :value="part.limit.value"
            :disabled="busy"
            @change="limit(guard, part.limit.name, part.limit.value, $event)"
          /><span v-else-if="part.limit" class="mono">{{ part.limit.value }}</span
          ><template v-else>{{ part.text }}</template></template
        >
      </p>
      <span v-if="isSet(guard)" class="flex flex-none items-center gap-2 text-small">
        <span class="soft">set for {{ of }}</span>
        <button
          v-if="mayChange"
          type="button"
          class="btn sm"
          :disabled="busy"
          :aria-label="`${guard.title} as usual`"
          @click="asUsual(guard)"
        >
          As usual
        </button>
      </span>
    </li>
  </ul>
</template>
