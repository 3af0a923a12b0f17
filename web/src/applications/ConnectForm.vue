<script setup lang="ts">
/** A new connection, or one that is changed. */
import { useQueryClient } from "@tanstack/vue-query";
import { computed, reactive, watch } from "vue";

import { api, type Application, data, Problem } from "@/api/client";
import { say } from "@/services/notices";
import AlertNote from "@/ui/AlertNote.vue";
import BusyButton from "@/ui/BusyButton.vue";
import { useDoing } from "@/ui/doing";

const props = defineProps<{ change?: Application }>();
const emit = defineEmits<{ done: [name: string]; close: [] }>();
const client = useQueryClient();
const form = reactive({
  name: props.change?.name ?? "",
  label: props.change?.label ?? "",
  address: props.change?.address ?? "",
  token: "",
  stage: props.change?.stage ?? "practice",
  pages: props.change?.pages ?? "",
  personal: props.change?.personal ?? false,
});
const { start, busy, error, forget } = useDoing(
  (inside: boolean) => {
    const { name, ...body } = { ...form, inside };
    if (!props.change) return data(api.POST("/api/applications", { body: { name, ...body } }));
    return data(api.PUT("/api/applications/{name}", { params: { path: { name } }, body }));
  },
  {
    done: async (made) => {
      await client.invalidateQueries({ queryKey: ["applications"] });
      say(props.change ? `The connection of ${made.label} is changed.` : `${made.label} is connected.`);
      emit("done", made.name);
    },
    failed: () => {},
  },
);
watch(() => form.address, forget);
/** The address is one of Vexo's own machine or network: that has to be meant. */
const inside = computed(() => error.value instanceof Problem && error.value.code === "inside");
const trouble = computed(() => {
  const { value } = error;
  return value instanceof Problem && value.field ? `${value.field}: ${value.message}` : value?.message;
});
</script>

<template>
  <form class="min-w-0 flex-1 overflow-auto bg-panel p-6" @submit.prevent="start(false)">
    <div class="grid max-w-xl gap-3.5">
      <h2>{{ change ? `Change the connection of ${change.label}` : "Connect an application" }}</h2>
      <p class="soft">
        Vexo speaks OData 4.01. The application is asked what it holds before anything is kept; no record is read or
        written.
      </p>
      <label
        ><span class="field-label">Address of the service</span
        ><input
          v-model="form.address"
          class="input mono"
          type="url"
          required
          placeholder="https://stock.example.org/odata/"
      /></label>
      <label
        ><span class="field-label">Token</span
        ><input v-model="form.token" class="input mono" type="password" autocomplete="off" /><span
          class="soft text-small"
          >{{ change ? "Empty: the one that is kept stays." : "Kept encrypted, never shown again." }}</span
        ></label
      >
      <label class="flex items-center gap-2"
        ><input v-model="form.personal" type="checkbox" name="personal" /> Each person gives a token of their own, and
        writes under it; this one is for reading</label
      >
      <fieldset class="flex gap-5">
        <legend class="field-label">Are its records the real ones?</legend>
        <label class="flex items-center gap-2"
          ><input v-model="form.stage" type="radio" value="practice" /> No, they are for practice</label
        >
        <label class="flex items-center gap-2"
          ><input v-model="form.stage" type="radio" value="live" /> Yes, they are live</label
        >
      </fieldset>
      <label
        ><span class="field-label">Short name</span
        ><input
          v-model="form.name"
          class="input mono"
          :readonly="!!change"
          required
          pattern="[-a-zA-Z0-9_]+"
          placeholder="stock-practice"
        /><span class="soft text-small">For the command line: letters, figures and hyphens.</span></label
      >
      <label
        ><span class="field-label">Name for people</span
        ><input v-model="form.label" class="input" placeholder="as the application calls itself"
      /></label>
      <label
        ><span class="field-label">Page of a record</span
        ><input v-model="form.pages" class="input mono" placeholder="https://stock.example.org/{source}/{id}/" /><span
          class="soft text-small"
          >Optional: opens a record in the application itself.</span
        ></label
      >
      <AlertNote v-if="trouble">{{ trouble }}</AlertNote>
      <div class="flex gap-2">
        <BusyButton v-if="inside" type="button" class="go" :busy="busy" says="Asking it…" @click="start(true)">
          It is meant, keep it
        </BusyButton>
        <BusyButton v-else type="submit" class="go" :busy="busy" says="Asking it…">{{
          change ? "Test and keep" : "Test and connect"
        }}</BusyButton>
        <button type="button" class="btn" @click="$emit('close')">Leave it</button>
      </div>
    </div>
  </form>
</template>
