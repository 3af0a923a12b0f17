<script setup lang="ts">
/** Take back what a trip wrote: a trip of its own is made for it, and opened at Review. */
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";

import { api, data } from "@/api/client";
import { jobDone } from "@/api/queries";
import { count, many, when } from "@/parts/format";
import StageLabel from "@/parts/StageLabel.vue";
import AlertNote from "@/ui/AlertNote.vue";
import BusyButton from "@/ui/BusyButton.vue";
import DialogFrame from "@/ui/DialogFrame.vue";
import { useDoing } from "@/ui/doing";

import { useTripContext } from "../context";
import { rowNumbers } from "./rowNumbers";

const { trip, mayPrepare } = useTripContext();
const router = useRouter();
const open = ref(false);
const WRITTEN = ["created", "updated", "deleted"] as const;
/** The passes that wrote something, and what. */
const passes = computed(() =>
  trip.value.passes
    .map((one) => ({
      number: one.number,
      at: one.started_at,
      did: WRITTEN.filter((name) => one.totals?.[name])
        .map((name) => `${count(one.totals?.[name] ?? 0)} ${name}`)
        .join(", "),
    }))
    .filter((one) => one.did),
);
const chosen = ref(0);
const rows = ref("");
const wanted = computed(() => rowNumbers(rows.value));
watch(open, () => {
  chosen.value = 0;
  rows.value = "";
  forget();
});
const { start, busy, error, forget } = useDoing(
  async () => {
    const params = { path: { id: trip.value.id } };
    const body = {
      passes: chosen.value ? [chosen.value] : passes.value.map((one) => one.number),
      rows: wanted.value?.length ? wanted.value : undefined,
    };
    return jobDone((await data(api.POST("/api/trips/{id}/take-back", { params, body }))).id);
  },
  {
    failed: () => {},
    done: (job) => {
      open.value = false;
      void router.push({ name: "trip", params: { id: job.trip ?? 0, station: "review" } });
    },
  },
);
</script>

<template>
  <button
    v-if="passes.length && mayPrepare"
    type="button"
    class="btn"
    :disabled="!!trip.job"
    data-testid="take-back"
    @click="open = true"
  >
    Take back…
  </button>
  <DialogFrame :open="open" @close="open = false">
    <template #title><StageLabel :stage="trip.application.stage" />Take back what was written</template>
    <form class="grid gap-3" @submit.prevent="wanted && start()">
      <p>
        A trip of its own is made, whose sheet says what was there before. Nothing is written before you have reviewed
        and applied it; what others changed since is held there.
      </p>
      <fieldset class="grid gap-1">
        <legend class="font-bold">Which pass</legend>
        <label v-if="passes.length > 1" class="flex items-center gap-2"
          ><input v-model="chosen" type="radio" name="pass" :value="0" />All of them</label
        >
        <label v-for="one in passes" :key="one.number" class="flex items-center gap-2"
          ><input v-model="chosen" type="radio" name="pass" :value="passes.length > 1 ? one.number : 0" />Pass
          {{ one.number }}: {{ one.did }}<span class="soft">{{ when(one.at) }}</span></label
        >
      </fieldset>
      <label class="grid gap-1"
        ><span class="font-bold">Which rows</span>
        <input v-model="rows" class="input mono" placeholder="all, or such as 3, 5-9" autocomplete="off" name="rows" />
      </label>
      <AlertNote v-if="!wanted">Rows are numbers and ranges, such as 3, 5-9.</AlertNote>
      <AlertNote v-else-if="error">{{ error }}</AlertNote>
      <p class="flex justify-end gap-2">
        <button type="button" class="btn" @click="open = false">Cancel</button>
        <BusyButton class="go" :busy="busy" says="Making the trip…" :disabled="!wanted" data-testid="make-reverse">{{
          wanted?.length ? `Make a trip that takes back ${many(wanted.length, "row", "rows")}` : "Make the trip"
        }}</BusyButton>
      </p>
    </form>
  </DialogFrame>
</template>
