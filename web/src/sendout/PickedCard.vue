<script setup lang="ts">
/** Records by hand: those that were ticked, or a list of keys that is pasted or comes from a file. */
import { computed, ref } from "vue";

import { api, data, type Schemas } from "@/api/client";
import { count, many } from "@/parts/format";
import BusyButton from "@/ui/BusyButton.vue";
import { useDoing } from "@/ui/doing";

const props = defineProps<{
  application: string;
  type: Schemas["RecordType"];
  ticked: readonly string[];
  missing: number;
  notFound: readonly string[];
}>();
const picked = defineModel<Schemas["Picked"] | null | undefined>({ required: true });
const text = ref("");
const open = ref(false);
const said = ref("");
const label = (name: string): string => props.type.all_fields.find((f) => f.name === name)?.label ?? name;
const keys = computed(() => props.type.keys.map((key) => key.map(label).join(" + ")).join(", or "));
const reading = useDoing<Schemas["Picked"], string>(
  (list) => {
    const params = { path: { name: props.application } };
    const body = { record_type: props.type.name, text: list };
    return data(api.POST("/api/applications/{name}/keys", { params, body }));
  },
  {
    done: (found) => {
      picked.value = found;
      open.value = false;
      text.value = said.value = "";
    },
    failed: (error) => (said.value = error.message),
  },
);
async function chose(event: Event): Promise<void> {
  const file = event.target instanceof HTMLInputElement ? event.target.files?.[0] : undefined;
  if (file) text.value = await file.text();
}
</script>

<template>
  <section class="card" data-testid="picked">
    <b>{{ picked ? `${many(picked.values.length, "record", "records")} by hand` : "Hand-picked" }}</b>
    <template v-if="picked">
      <p>
        Exactly those, by {{ picked.key.map(label).join(" + ") }}, in the order of the list<template v-if="missing"
          >; <b class="text-reject">{{ many(missing, "key finds", "keys find") }} no record</b>:
          <span class="mono">{{ notFound.slice(0, 6).join(", ") }}</span
          ><template v-if="missing > 6"> …</template></template
        >.
      </p>
      <button type="button" class="btn sm mt-2" @click="picked = null">Choose by a condition again</button>
    </template>
    <template v-else>
      <p v-if="!open">Tick rows of the preview, or give a list of keys: you get exactly those records.</p>
      <div class="mt-2 flex flex-wrap gap-1.5">
        <button
          v-if="ticked.length"
          type="button"
          class="btn sm"
          @click="picked = { key: [type.identifier], values: ticked.map((id) => [id]) }"
        >
          Only the {{ count(ticked.length) }} ticked
        </button>
        <button v-if="!open" type="button" class="btn sm" @click="open = true">Paste a list of keys…</button>
      </div>
      <form v-if="open" class="grid gap-1.5" @submit.prevent="reading.start(text)">
        <label
          ><span class="sr-only">Keys, one record a line</span
          ><textarea
            v-model="text"
            class="input mono min-h-28"
            spellcheck="false"
            :placeholder="`One record a line: ${keys}. A first line may name the fields.`"
            aria-describedby="keys-said"
          />
        </label>
        <p v-if="said" id="keys-said" class="!text-reject" role="alert">{{ said }}</p>
        <div class="flex gap-1.5">
          <BusyButton class="btn sm go" :busy="reading.busy.value" :disabled="!text.trim()">Take these</BusyButton>
          <label class="btn sm cursor-pointer focus-within:outline-2"
            >From a file…<input type="file" class="sr-only" accept=".txt,.csv,.tsv" @change="chose"
          /></label>
          <button type="button" class="btn sm ghost" @click="open = false">Cancel</button>
        </div>
      </form>
    </template>
  </section>
</template>
