<script setup lang="ts">
/** How a route runs by itself, as a sentence, and what came last; for who may, the way to say so. */
import { computed, ref } from "vue";

import { api, data, queryClient, type Route, type Schemas } from "@/api/client";
import { when } from "@/parts/format";
import { zone as mine } from "@/parts/reading";
import { say } from "@/services/notices";
import AlertNote from "@/ui/AlertNote.vue";
import BusyButton from "@/ui/BusyButton.vue";
import DialogFrame from "@/ui/DialogFrame.vue";
import { useDoing } from "@/ui/doing";

type Unattended = Schemas["Unattended"];
const { route, now, mayPrepare } = defineProps<{ route: Route; now: Unattended | undefined; mayPrepare: boolean }>();
const DAYS = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];
const STATES: Record<Schemas["Arrival"]["state"], string> = {
  found: "found",
  "coming in": "coming in",
  applying: "being applied",
  waits: "waits for a person",
  done: "applied",
  failed: "could not come in",
};
const open = ref(false);
const form = ref({ folder: "", timed: false, at: "06:00", days: [] as number[], applies: false, most: 50, deletes: 0 });
/** The version of the route whose words were on the screen when its form was opened. */
let seen = route.version;
const zone = computed(() => now?.zone ?? mine.value);
function begin(): void {
  form.value = {
    folder: now?.folder ?? "",
    timed: !!now?.at,
    at: now?.at ?? "06:00",
    days: [...(now?.days ?? [])],
    applies: now?.applies ?? false,
    most: now?.most || 50,
    deletes: now?.most_deletes ?? 0,
  };
  seen = route.version;
  keeping.forget();
  open.value = true;
}
const params = computed(() => ({ path: { id: route.id } }));
/** The route too: where it was changed elsewhere, its words are to be read anew. */
const after = () =>
  Promise.all(["unattended", "routes"].map((key) => queryClient.invalidateQueries({ queryKey: [key] })));
const keeping = useDoing(
  () => {
    const { folder, timed, at, days, applies, most, deletes } = form.value;
    const body = {
      folder: folder.trim(),
      at: timed ? at : null,
      days: timed ? days : [],
      zone: zone.value,
      applies,
      most: applies ? most : 0,
      most_deletes: applies ? deletes : 0,
      version: seen,
    };
    return data(api.PUT("/api/routes/{id}/unattended", { params: params.value, body }));
  },
  {
    failed: () => {},
    done: () => {
      open.value = false;
      say(`${route.name} runs by itself, under your rights.`);
    },
    after,
  },
);
const stopping = useDoing(() => api.DELETE("/api/routes/{id}/unattended", { params: params.value }), {
  done: () => {
    open.value = false;
    say(`${route.name} runs by itself no more.`);
  },
  after,
});
</script>

<template>
  <p v-if="now || mayPrepare" class="flex flex-wrap items-baseline gap-x-2" :data-testid="`by-itself-${route.id}`">
    <span class="soft">By itself:</span>
    <button v-if="mayPrepare" type="button" class="min-h-6 text-left text-marine underline" @click="begin">
      {{ now ? now.says : "never; a sheet is brought in by somebody" }}
    </button>
    <span v-else>{{ now?.says }}</span>
    <span v-if="now" class="soft text-small">under the rights of {{ now.owner.name }}</span>
  </p>
  <p v-if="now?.trouble" class="text-small font-semibold text-held">{{ now.trouble }}</p>
  <ul v-if="now?.arrivals.length" class="ml-3 text-small" :aria-label="`What came last on ${route.name}`">
    <li v-for="arrival in now.arrivals" :key="arrival.id">
      <span class="soft">{{ arrival.at ? when(arrival.at) : "" }}</span> {{ arrival.name }}: {{ STATES[arrival.state]
      }}<template v-if="arrival.says">, {{ arrival.says }}</template>
      <RouterLink v-if="arrival.trip" class="ml-1 text-marine underline" :to="`/trips/${arrival.trip}`"
        >trip {{ arrival.trip }}</RouterLink
      >
    </li>
  </ul>
  <DialogFrame :open="open" :title="`${route.name}, by itself`" @close="open = false">
    <form class="grid gap-3" @submit.prevent="keeping.start()">
      <label
        ><span class="field-label">The folder into which sheets are put</span
        ><input
          v-model="form.folder"
          class="input mono"
          name="folder"
          required
          maxlength="120"
          autocomplete="off"
        /><span class="soft text-small"
          >Its name below the folder that was given on the machine of Vexo (VEXO_FOLDERS). A sheet that is in is moved
          to “taken” there.</span
        ></label
      >
      <fieldset class="grid gap-1">
        <legend class="field-label">It looks there</legend>
        <label class="flex min-h-6 items-center gap-2"
          ><input v-model="form.timed" type="radio" :value="false" /> every minute</label
        >
        <label class="flex min-h-6 flex-wrap items-center gap-2"
          ><input v-model="form.timed" type="radio" :value="true" /> at
          <input
            v-model="form.at"
            type="time"
            class="guard-part mono"
            aria-label="At what time"
            :disabled="!form.timed"
          />
          ({{ zone }})</label
        >
        <span v-if="form.timed" class="ml-6 flex flex-wrap gap-3">
          <label v-for="(name, day) in DAYS" :key="name" class="flex min-h-6 items-center gap-1"
            ><input v-model="form.days" type="checkbox" :value="day" /> {{ name }}</label
          >
          <span class="soft text-small">none marked: each day</span>
        </span>
      </fieldset>
      <fieldset class="grid gap-1">
        <legend class="field-label">Once the sheet is in</legend>
        <label class="flex min-h-6 items-center gap-2"
          ><input v-model="form.applies" type="radio" :value="false" /> it waits at Review, and you are told</label
        >
        <label class="flex min-h-6 flex-wrap items-center gap-2"
          ><input v-model="form.applies" type="radio" :value="true" /> it is applied, where nothing is open and it
          writes at most
          <input
            v-model.number="form.most"
            type="number"
            min="1"
            max="100000"
            class="guard-part mono !w-24"
            aria-label="Records that it writes at most"
            :disabled="!form.applies" />
          records, of which it deletes at most
          <input
            v-model.number="form.deletes"
            type="number"
            min="0"
            max="100000"
            class="guard-part mono !w-20"
            aria-label="Records that it deletes at most"
            :disabled="!form.applies"
        /></label>
        <span class="soft ml-6 text-small">Anything else waits for you, and you are told.</span>
      </fieldset>
      <AlertNote v-if="keeping.error.value">{{ keeping.error.value.message }}</AlertNote>
      <div class="flex flex-wrap gap-2">
        <BusyButton type="submit" class="go" :busy="keeping.busy.value">Let it run by itself</BusyButton>
        <BusyButton v-if="now" type="button" class="warn" :busy="stopping.busy.value" @click="stopping.start()"
          >It runs by itself no more</BusyButton
        >
        <button type="button" class="btn" @click="open = false">Leave it</button>
      </div>
    </form>
  </DialogFrame>
</template>
