<script setup lang="ts">
import { useQueryClient } from "@tanstack/vue-query";
import { reactive, ref } from "vue";

import { api, data, Problem } from "@/api/client";
import { say } from "@/shell/notices";

const emit = defineEmits<{ done: [name: string]; close: [] }>();
const client = useQueryClient();
const form = reactive({
  name: "",
  label: "",
  address: "",
  token: "",
  stage: "practice" as "live" | "practice",
  pages: "",
});
const trouble = ref("");
const busy = ref(false);

async function connect(): Promise<void> {
  busy.value = true;
  trouble.value = "";
  try {
    const made = await data(api.POST("/api/applications", { body: { ...form } as never }));
    await client.invalidateQueries({ queryKey: ["applications"] });
    say(`${made.label} is connected.`);
    emit("done", made.name);
  } catch (error) {
    trouble.value =
      error instanceof Problem && error.field
        ? `${error.field}: ${error.message}`
        : error instanceof Error
          ? error.message
          : String(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <form class="min-w-0 flex-1 overflow-auto bg-panel p-6" @submit.prevent="connect">
    <div class="grid max-w-xl gap-3.5">
      <h2>Connect an application</h2>
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
          class="soft text-[13px]"
          >Kept encrypted, never shown again.</span
        ></label
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
          required
          pattern="[-a-zA-Z0-9_]+"
          placeholder="stock-practice"
        /><span class="soft text-[13px]">For the command line: letters, figures and hyphens.</span></label
      >
      <label
        ><span class="field-label">Name for people</span
        ><input v-model="form.label" class="input" placeholder="as the application calls itself"
      /></label>
      <label
        ><span class="field-label">Page of a record</span
        ><input v-model="form.pages" class="input mono" placeholder="https://stock.example.org/{source}/{id}/" /><span
          class="soft text-[13px]"
          >Optional: opens a record in the application itself.</span
        ></label
      >
      <p v-if="trouble" class="rounded border border-reject bg-reject-tint px-3 py-2 text-reject" role="alert">
        {{ trouble }}
      </p>
      <div class="flex gap-2">
        <button type="submit" class="btn go" :disabled="busy">
          {{ busy ? "Asking it…" : "Test and connect" }}</button><button
          type="button"
          class="btn"
          @click="$emit('close')"
        >
          Leave it
        </button>
      </div>
    </div>
  </form>
</template>
