<script setup lang="ts">
/** How long things are kept: a sentence a kind, with what that would take away now. */
import { useQuery } from "@tanstack/vue-query";
import { refDebounced } from "@vueuse/core";
import { computed, ref, watch } from "vue";

import { api, data, queryClient, type Schemas } from "@/api/client";
import { many, room } from "@/parts/format";
import { say } from "@/services/notices";
import AlertNote from "@/ui/AlertNote.vue";
import BusyButton from "@/ui/BusyButton.vue";
import { useDoing } from "@/ui/doing";

import { type Kind, KINDS } from "./kinds";

const { upkeep } = defineProps<{ upkeep: Schemas["Upkeep"] }>();
const PAUSE = 300;
const ORDER: Kind[] = ["trips", "receipts", "copies", "uploads", "journal"];
const days = ref<Record<Kind, number>>({ trips: 0, receipts: 0, copies: 0, uploads: 0, journal: 0 });
const idle = ref(0);
function asIs(): void {
  for (const kind of ORDER) days.value[kind] = upkeep.keep[kind] ?? 0;
  idle.value = upkeep.idle_minutes;
}
// Room and times change all along, and take nothing away of what is being typed.
watch([() => upkeep.keep, () => upkeep.idle_minutes], asIs, { immediate: true });
const changed = computed(
  () => idle.value !== upkeep.idle_minutes || ORDER.some((kind) => days.value[kind] !== upkeep.keep[kind]),
);
const whole = computed(() => ORDER.every((kind) => Number.isInteger(days.value[kind]) && days.value[kind] >= 0));
const asked = refDebounced(
  computed(() => ({ ...days.value })),
  PAUSE,
);
const { data: over } = useQuery({
  queryKey: computed(() => ["over", asked.value]),
  queryFn: () => data(api.GET("/api/upkeep/over", { params: { query: asked.value } })),
  enabled: whole,
  placeholderData: (before) => before,
});
const frees = (kind: Kind): Schemas["Over"] | undefined => over.value?.find((one) => one.kind === kind);
const goes = computed(() => over.value?.some((one) => one.count > 0) ?? false);
const anew = (now: Schemas["Upkeep"]): void => void queryClient.setQueryData(["upkeep"], now);
const keeping = useDoing(() => data(api.PUT("/api/upkeep", { body: { ...days.value, idle_minutes: idle.value } })), {
  failed: () => {},
  done: (now) => {
    anew(now);
    say("Kept. What is over its time goes within six hours, or when you say so.");
  },
});
const thinning = useDoing(() => data(api.POST("/api/upkeep")), {
  done: () => {
    say("What is over its time is being taken away; the journal says what went.");
    window.setTimeout(() => void queryClient.invalidateQueries({ queryKey: ["upkeep"] }), 2000);
    window.setTimeout(() => void queryClient.invalidateQueries({ queryKey: ["over"] }), 2000);
  },
});
</script>

<template>
  <form class="grid gap-2 border-t border-rule p-4" aria-labelledby="keep" @submit.prevent="keeping.start()">
    <h2 id="keep">How long things are kept</h2>
    <p class="soft text-small">
      Days; 0 keeps them for as long as Vexo is there. What would go now is said behind each.
    </p>
    <div v-for="kind in ORDER" :key="kind" class="flex items-baseline gap-3 border-t border-rule py-1.5">
      <label :for="`keep-${kind}`" class="w-96"
        ><b>{{ KINDS[kind].title }}</b> <span class="soft text-small">{{ KINDS[kind].says }}</span></label
      >
      <input
        :id="`keep-${kind}`"
        v-model.number="days[kind]"
        class="input mono !w-24 text-right"
        type="number"
        min="0"
        max="36500"
        required
      />
      <span class="text-small" :class="frees(kind)?.count ? 'font-semibold text-held' : 'soft'" aria-live="polite">{{
        frees(kind)?.count
          ? `${many(frees(kind)?.count ?? 0, KINDS[kind].one, KINDS[kind].more)} would go${frees(kind)?.bytes ? `, ${room(frees(kind)?.bytes ?? 0)}` : ""}`
          : days[kind]
            ? "nothing is over it"
            : "no limit"
      }}</span>
    </div>
    <div class="flex items-baseline gap-3 border-y border-rule py-1.5">
      <label for="idle" class="w-96"
        ><b>A session ends</b>
        <span class="soft text-small">after minutes in which nobody was at it; 0: no limit</span></label
      >
      <input
        id="idle"
        v-model.number="idle"
        class="input mono !w-24 text-right"
        type="number"
        min="0"
        max="20160"
        required
      />
    </div>
    <AlertNote v-if="keeping.error.value">{{ keeping.error.value.message }}</AlertNote>
    <div class="flex gap-2">
      <BusyButton type="submit" class="go" :busy="keeping.busy.value" :disabled="!changed || !whole"
        >Keep it so</BusyButton
      >
      <button v-if="changed" type="button" class="btn" @click="asIs">Leave it</button>
      <BusyButton v-else-if="goes" type="button" class="warn" :busy="thinning.busy.value" @click="thinning.start()"
        >Take away now what is over its time</BusyButton
      >
    </div>
  </form>
</template>
