<script setup lang="ts">
import { Combobox, ComboboxInput, ComboboxOption, ComboboxOptions, Dialog, DialogPanel } from "@headlessui/vue";
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";

import { useApplications, useTrips } from "@/api/queries";

interface Place {
  kind: string;
  name: string;
  note: string;
  to?: string;
  run?: () => void;
}

const props = defineProps<{ open: boolean }>();
const emit = defineEmits<{ close: []; bring: []; keys: [] }>();
const router = useRouter();
const { data: trips } = useTrips();
const { data: applications } = useApplications();
const text = ref("");
watch(
  () => props.open,
  () => (text.value = ""),
);

const commands: Place[] = [
  { kind: "Command", name: "Send records out", note: "O", to: "/send-out" },
  { kind: "Command", name: "Bring a sheet in", note: "I", run: () => emit("bring") },
  { kind: "Command", name: "All keys", note: "?", run: () => emit("keys") },
  { kind: "Page", name: "Journal", note: "who did what", to: "/journal" },
  { kind: "Page", name: "Applications", note: "connections", to: "/applications" },
];
const places = computed<Place[]>(() => [
  ...(trips.value ?? []).map((t) => ({
    kind: "Trip",
    name: t.title,
    note: `${t.id} · ${t.application.label} · ${t.needs.says}`,
    to: `/trips/${t.id}`,
  })),
  ...(applications.value ?? []).map((a) => ({
    kind: "Application",
    name: a.label,
    note: `${a.name} · ${a.stage}`,
    to: `/applications/${a.name}`,
  })),
  ...commands,
]);
const found = computed(() => {
  const words = text.value.toLowerCase().split(/\s+/).filter(Boolean);
  return places.value
    .filter((place) => words.every((w) => `${place.kind} ${place.name} ${place.note}`.toLowerCase().includes(w)))
    .slice(0, 12);
});

function go(place: Place | null): void {
  if (!place) return;
  emit("close");
  if (place.to) void router.push(place.to);
  else place.run?.();
}
</script>

<template>
  <Dialog :open="open" class="relative z-50" @close="$emit('close')">
    <div class="fixed inset-0 bg-ink/40" aria-hidden="true" />
    <div class="fixed inset-0 flex items-start justify-center p-16">
      <DialogPanel class="dialog !p-2" aria-label="Find">
        <Combobox :model-value="null" nullable @update:model-value="go">
          <ComboboxInput
            class="input !min-h-10"
            placeholder="Find a trip, application or command"
            aria-label="Find a trip, application or command"
            autocomplete="off"
            @change="text = $event.target.value"
          />
          <ComboboxOptions static class="mt-2 max-h-[50vh] overflow-auto">
            <ComboboxOption
              v-for="place in found"
              :key="place.kind + place.name + place.note"
              v-slot="{ active }"
              :value="place"
              as="template"
            >
              <li
                class="flex cursor-pointer items-baseline gap-3 rounded px-3 py-1.5"
                :class="{ 'bg-marine-tint': active }"
              >
                <span class="soft w-24 text-[12.5px]">{{ place.kind }}</span>
                <b class="font-semibold">{{ place.name }}</b>
                <span class="soft ml-auto truncate text-[12.5px]">{{ place.note }}</span>
              </li>
            </ComboboxOption>
            <li v-if="!found.length" class="soft px-3 py-2">Nothing has that in its name.</li>
          </ComboboxOptions>
        </Combobox>
      </DialogPanel>
    </div>
  </Dialog>
</template>
