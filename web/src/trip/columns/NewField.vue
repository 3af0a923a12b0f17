<script setup lang="ts">
/** A field that the application does not have yet, made for a column; and a required one is asked what records get. */
import { ref, watch } from "vue";

import { api, type Column, data, queryClient } from "@/api/client";
import { say } from "@/services/notices";
import AlertNote from "@/ui/AlertNote.vue";
import BusyButton from "@/ui/BusyButton.vue";
import ChoiceList from "@/ui/ChoiceList.vue";
import { useDoing } from "@/ui/doing";

import { useTripContext } from "../context";
import PartText from "./PartText.vue";
import PartTexts from "./PartTexts.vue";

type Kind = "text" | "number" | "date" | "yes or no" | "choice";
const props = defineProps<{ column: Column; values: readonly string[] }>();
const emit = defineEmits<{ added: [field: string] }>();
const { trip } = useTripContext();
const open = ref(false);
const label = ref("");
const kind = ref<Kind>("text");
const required = ref(false);
const existing = ref("");
watch(
  () => props.column.column,
  () => {
    open.value = false;
    label.value = props.column.header;
    required.value = false;
    existing.value = "";
  },
  { immediate: true },
);
const choices = ref<string[]>([]);
watch(kind, (now) => {
  choices.value =
    now === "choice" ? [...new Set(props.values.map((one) => one.trim()).filter(Boolean))].slice(0, 40) : [];
});
const KINDS: { value: Kind; label: string }[] = [
  { value: "text", label: "text" },
  { value: "number", label: "a number" },
  { value: "date", label: "a date" },
  { value: "yes or no", label: "yes or no" },
  { value: "choice", label: "one of several values" },
];
const adding = useDoing(
  async () => {
    const before = new Set<string>();
    const params = { path: { name: trip.value.application.name } };
    const known = await data(api.GET("/api/applications/{name}", { params }));
    const of = (types: typeof known.types) => types.find((one) => one.name === trip.value.record_type);
    for (const field of of(known.types)?.all_fields ?? []) before.add(field.name);
    const body = {
      record_type: trip.value.record_type,
      name: "",
      label: label.value.trim(),
      kind: kind.value,
      required: required.value,
      choices: kind.value === "choice" ? choices.value : [],
      existing: existing.value,
    };
    const made = await data(api.POST("/api/applications/{name}/fields", { params, body }));
    await queryClient.invalidateQueries({ queryKey: ["applications"] });
    return of(made.types)?.all_fields.find((field) => !before.has(field.name))?.name ?? "";
  },
  {
    failed: () => {},
    done: (name) => {
      say(`${label.value.trim()} is a field of ${trip.value.plural} now.`);
      emit("added", name);
    },
  },
);
</script>

<template>
  <button v-if="!open" type="button" class="btn sm justify-self-start" @click="open = true">Add a field for it…</button>
  <form v-else class="card" data-testid="new-field" @submit.prevent="adding.start()">
    <b>A new field of {{ trip.plural }} in {{ trip.application.label }}</b>
    <p class="sentence">
      <PartText v-model="label" label="What the field is called" empty="its name" /> holds
      <ChoiceList v-model="kind" as="part" label="What the field holds" :options="KINDS" />.
      <template v-if="kind === 'choice'">
        They are
        <PartTexts v-model="choices" label="What it may be" free :options="[]" />.
      </template>
      It is
      <ChoiceList
        as="part"
        label="Whether every record has one"
        :model-value="required ? 'yes' : 'no'"
        :options="[
          { value: 'no', label: 'not required' },
          { value: 'yes', label: 'required' },
        ]"
        @chosen="required = $event === 'yes'"
      /><template v-if="required"
        >, and records that are there get <PartText v-model="existing" label="What existing records get" /></template
      >.
    </p>
    <AlertNote v-if="adding.error.value" class="mt-2">{{ adding.error.value.message }}</AlertNote>
    <div class="mt-2 flex gap-1.5">
      <BusyButton
        class="btn go sm"
        :busy="adding.busy.value"
        :disabled="!label.trim() || (required && !existing.trim()) || (kind === 'choice' && !choices.length)"
        >Add it to {{ trip.application.stage === "live" ? "the live application" : "practice" }}</BusyButton
      >
      <button type="button" class="btn sm" @click="open = false">Cancel</button>
    </div>
  </form>
</template>
