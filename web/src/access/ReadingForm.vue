<script setup lang="ts">
/** How numbers, days and times are written for oneself, as a sentence whose parts are kept as they are chosen. */
import { useQuery } from "@tanstack/vue-query";
import { computed } from "vue";

import { api, data, queryClient, type Schemas } from "@/api/client";
import { useSession } from "@/api/queries";
import { count, exact, fullTime } from "@/parts/format";
import { browserZone } from "@/parts/reading";
import { say } from "@/services/notices";
import { useDoing } from "@/ui/doing";
import SearchPart from "@/ui/SearchPart.vue";

type Reading = Schemas["Reading"];
const WAYS: Record<Reading["locale"], string> = {
  "en-GB": "British",
  "en-US": "American",
  "de-DE": "German",
  "fr-FR": "French",
};
const { data: session } = useSession();
const reading = computed(() => session.value?.person ?? { locale: "en-GB" as const, zone: "" });
// The browser's own list has many places under a name that they had once.
const { data: offer } = useQuery({ queryKey: ["reading"], queryFn: () => data(api.GET("/api/access/reading")) });
const zones = computed(() => [
  { value: "", label: `of this browser (${browserZone})` },
  ...(offer.value?.zones ?? []).map((zone) => ({ value: zone, label: zone })),
]);
const keeping = useDoing((next: Reading) => data(api.PUT("/api/access/reading", { body: next })), {
  done: async () => {
    // Sentences of the server are written anew, too.
    await queryClient.invalidateQueries();
    say("Numbers and times are written so from now on.");
  },
});
const isWay = (text: string): text is Reading["locale"] => text in WAYS;
function choose(event: Event): void {
  if (!(event.target instanceof HTMLSelectElement) || !isWay(event.target.value)) return;
  keeping.start({ locale: event.target.value, zone: reading.value.zone });
}
const zone = computed({
  get: () => reading.value.zone,
  set: (next) => {
    keeping.start({ locale: reading.value.locale, zone: next });
  },
});
const SHOWN = "2027-03-04T17:05:09Z";
</script>

<template>
  <section class="grid gap-2 border-t border-rule p-4" aria-labelledby="reading">
    <h2 id="reading">Numbers and times</h2>
    <p class="flex flex-wrap items-center gap-x-2" data-testid="reading">
      <span>They are written for you the</span>
      <select
        class="guard-part"
        name="locale"
        aria-label="How numbers and days are written"
        :value="reading.locale"
        @change="choose"
      >
        <option v-for="(label, tag) in WAYS" :key="tag" :value="tag">{{ label }}</option>
      </select>
      <span>way, with the times</span>
      <SearchPart v-model="zone" label="The time zone of times" :options="zones" />
    </p>
    <p class="flex flex-wrap gap-x-6 gap-y-1" data-testid="reading-shown">
      <span><b class="mono">{{ count(201344) }}</b> rows</span>
      <span>a sum of <b class="mono">{{ exact("15820.50") }}</b></span>
      <b class="mono">{{ fullTime(SHOWN) }}</b>
    </p>
    <p class="soft">
      The words stay English, and what stands in a cell is shown as it is, whoever reads it. The command line, receipts
      and the journal's files keep the British way and UTC.
    </p>
  </section>
</template>
