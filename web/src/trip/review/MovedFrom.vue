<script setup lang="ts">
/** A trip that was moved beside the one that it comes from: what differs, and what can be decided as there. */
import { useQuery } from "@tanstack/vue-query";
import { computed } from "vue";

import { api, data } from "@/api/client";
import { many } from "@/parts/format";
import BusyButton from "@/ui/BusyButton.vue";
import { useDoing } from "@/ui/doing";

import { useTripContext } from "../context";

/** Only the rows that differ are shown. */
const shown = defineModel<string>({ default: "" });
const { trip, mayPrepare, set } = useTripContext();
const path = computed(() => ({ id: trip.value.id }));
const { data: moved } = useQuery({
  queryKey: computed(() => ["moved", trip.value.id, trip.value.plan?.number]),
  queryFn: async () => (await data(api.GET("/api/trips/{id}/moved", { params: { path: path.value } }))).moved,
  enabled: computed(() => !!trip.value.plan && trip.value.moved),
});
const again = useDoing(async () => {
  const body = { plan: trip.value.plan?.number ?? 0 };
  set(await data(api.POST("/api/trips/{id}/moved", { params: { path: path.value }, body })));
});
const offers = computed(() => moved.value?.offers ?? []);
</script>

<template>
  <div
    v-if="moved"
    class="flex flex-wrap items-center gap-x-3 gap-y-1 border-b border-rule bg-panel px-3 py-1.5 text-small"
    data-testid="moved"
  >
    <span
      >Moved from
      <RouterLink class="text-marine underline" :to="{ name: 'trip', params: { id: moved.trip, station: 'review' } }"
        >trip {{ moved.trip }}</RouterLink
      >
      on {{ moved.application }}: {{ many(moved.alike, "row is", "rows are") }} as there,
    </span>
    <button
      v-if="moved.differs"
      type="button"
      class="font-semibold text-held underline"
      :aria-pressed="!!shown"
      @click="shown = shown ? '' : 'differs'"
    >
      {{ many(moved.differs, "differs", "differ") }}
    </button>
    <span v-else>none differs</span>
    <b v-if="moved.more" class="text-held"
      >{{ many(moved.more, "row", "rows") }} would write here what nobody edited: there it was as it stands in the
      sheet</b
    >
    <template v-if="offers.length && mayPrepare">
      <span class="soft">{{
        offers.map((offer) => `${offer.says}, ${many(offer.count, "row", "rows")}`).join("; ")
      }}</span>
      <BusyButton
        type="button"
        class="sm"
        says="Deciding…"
        :busy="again.busy.value"
        :disabled="!!trip.job || !trip.plan?.current"
        data-testid="decide-again"
        @click="again.start()"
      >
        Decide as there
      </BusyButton>
    </template>
  </div>
</template>
