<script setup lang="ts">
import { Combobox, ComboboxInput, ComboboxOption, ComboboxOptions } from "@headlessui/vue";
import { refDebounced } from "@vueuse/core";
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";

import { tripAddress } from "@/api/part";
import { useApplications, useFoundTrips, useMay, useTrips } from "@/api/queries";
import { many, moment } from "@/parts/format";
import DialogFrame from "@/ui/DialogFrame.vue";

interface Place {
  number?: string;
  kind: string;
  name: string;
  note: string;
  /** What else it is found by. */
  also?: string;
  to?: string;
  run?: () => void;
}

const props = defineProps<{ open: boolean }>();
const emit = defineEmits<{ close: []; bring: []; keys: [] }>();
/** Trips that are offered before anything is typed. */
const NEWEST = 5;
/** Places that are offered for what is typed; of more it is said how many. */
const MOST = 12;
const router = useRouter();
const { data: newest } = useTrips();
const { data: applications } = useApplications();
const mayPeople = useMay("people");
const mayTidy = useMay("tidy");
const text = ref("");
/** Where not all trips are at hand, the server looks through the others. */
const { data: others } = useFoundTrips(
  refDebounced(text, 200),
  computed(() => !!newest.value && newest.value.total > newest.value.list.length),
);
const trips = computed(() => {
  const found = text.value.trim() ? (others.value?.list ?? []) : [];
  return [...new Map([...(newest.value?.list ?? []), ...found].map((trip) => [trip.id, trip])).values()];
});
watch(
  () => props.open,
  () => (text.value = ""),
);

const commands = computed<Place[]>(() => [
  { kind: "Command", name: "Send records out", note: "O", to: "/send-out" },
  {
    kind: "Command",
    name: "Bring a sheet in",
    note: "I",
    run: () => {
      emit("bring");
    },
  },
  {
    kind: "Command",
    name: "All keys",
    note: "?",
    run: () => {
      emit("keys");
    },
  },
  { kind: "Page", name: "Routes", note: "saved ways of making a trip", to: "/routes" },
  { kind: "Page", name: "Journal", note: "who did what", to: "/journal" },
  { kind: "Page", name: "Applications", note: "connections", to: "/applications" },
  { kind: "Page", name: "Notices", note: "what happened meanwhile", to: "/notices" },
  { kind: "Page", name: "Your access", note: "browsers, tokens for scripts", to: "/access" },
  ...(mayTidy.value ? [{ kind: "Page", name: "Upkeep", note: "room, how long things are kept", to: "/upkeep" }] : []),
  ...(mayPeople.value ? [{ kind: "Page", name: "People", note: "who may do what", to: "/people" }] : []),
]);
const places = computed<Place[]>(() => [
  ...trips.value.map((t) => ({
    kind: "Trip",
    name: t.title,
    number: String(t.id),
    note: `${t.id} · ${t.application.label} · ${t.needs.says}${t.needs.at ? ` ${moment(t.needs.at)}` : ""}`,
    also: `${t.record_type} ${t.plural} ${t.application.name}`,
    to: tripAddress(t),
  })),
  ...(applications.value ?? []).map((a) => ({
    kind: "Application",
    name: a.label,
    note: `${a.name} · ${a.stage}`,
    to: `/applications/${a.name}`,
  })),
  ...commands.value,
]);
/** Capitals and the way in which accents are written are no difference. */
const alike = (one = ""): string => one.normalize("NFC").toLowerCase();
const found = computed(() => {
  const words = alike(text.value).split(/\s+/).filter(Boolean);
  if (!words.length) return [...places.value.slice(0, NEWEST), ...commands.value];
  const is = (place: Place): boolean => [place.name, place.number].some((one) => alike(one) === words.join(" "));
  return places.value
    .filter((place) => {
      const told = alike(`${place.kind} ${place.name} ${place.note} ${place.also ?? ""}`);
      return words.every((word) => told.includes(word));
    })
    .sort((a, b) => Number(is(b)) - Number(is(a)));
});
const shown = computed(() => found.value.slice(0, text.value.trim() ? MOST : undefined));
const more = computed(() => {
  if (!text.value.trim()) return 0;
  const listed = found.value.filter((place) => place.kind === "Trip").length;
  return found.value.length - shown.value.length + Math.max((others.value?.total ?? 0) - listed, 0);
});

function go(place: Place | null): void {
  if (!place) return;
  emit("close");
  if (place.to) void router.push(place.to);
  else place.run?.();
}
</script>

<template>
  <DialogFrame :open="open" high label="Find" @close="$emit('close')">
    <Combobox :model-value="null" nullable @update:model-value="go">
      <ComboboxInput
        class="input !min-h-10"
        placeholder="Find a trip, application or command"
        aria-label="Find a trip, application or command"
        autocomplete="off"
        maxlength="200"
        @change="text = $event.target.value"
      />
      <ComboboxOptions static class="mt-2 max-h-[50vh] overflow-auto">
        <ComboboxOption
          v-for="place in shown"
          :key="place.kind + place.name + place.note"
          v-slot="{ active }"
          :value="place"
          as="template"
        >
          <li
            class="flex cursor-pointer items-baseline gap-3 rounded px-3 py-1.5"
            :class="{ 'bg-marine-tint': active }"
          >
            <span class="soft w-24 text-data">{{ place.kind }}</span>
            <b class="font-semibold">{{ place.name }}</b>
            <span class="soft ml-auto truncate text-data">{{ place.note }}</span>
          </li>
        </ComboboxOption>
        <li v-if="!found.length" class="soft px-3 py-2">Nothing has that in its name.</li>
        <li v-else-if="more" class="soft px-3 py-2">
          {{ many(more, "more is", "more are") }} found. Type more of the name.
        </li>
      </ComboboxOptions>
    </Combobox>
  </DialogFrame>
</template>
