<script setup lang="ts">
/** Saved ways of making a trip. */
import { api, data, Problem, queryClient, type Route } from "@/api/client";
import { useMay, useRoutes } from "@/api/queries";
import { count, fullTime, many, when } from "@/parts/format";
import RouteGuards from "@/guards/RouteGuards.vue";
import StageLabel from "@/parts/StageLabel.vue";
import { bring } from "@/services/bringIn";
import RefusalsPart from "@/trip/apply/RefusalsPart.vue";
import { ruleWords, stopAfter, type Trouble, troubleOf } from "@/trip/apply/trouble";
import { say } from "@/services/notices";
import BusyButton from "@/ui/BusyButton.vue";
import DialogFrame from "@/ui/DialogFrame.vue";
import { useDoing } from "@/ui/doing";
import { useQuery } from "@tanstack/vue-query";
import { ref } from "vue";

import ByItself from "./ByItself.vue";

defineEmits<{ bring: [] }>();
const { data: routes, isPending } = useRoutes();
const mayPrepare = useMay("prepare");
const { data: byItself } = useQuery({
  queryKey: ["unattended"],
  queryFn: () => data(api.GET("/api/unattended")),
  refetchInterval: 15_000,
});
const leaving = ref<Route>();
/** The route whose guards are shown. */
const guarded = ref<Route>();
function bringOn(route: Route, event: Event): void {
  const files = event.target instanceof HTMLInputElement ? [...(event.target.files ?? [])] : [];
  void bring(files, { way: route.id });
}
const refusals = useDoing(
  ({ route, trouble }: { route: Route; trouble: Trouble }) => {
    const after = stopAfter(trouble);
    if (after === undefined) throw new Problem(0, "Say after how many refusals, from 1 on.");
    const body = { stop_after: after, take_back: trouble.how === "back" };
    return data(api.PUT("/api/routes/{id}/refusals", { params: { path: { id: route.id } }, body }));
  },
  { after: () => void queryClient.invalidateQueries({ queryKey: ["routes"] }) },
);
const deleting = useDoing<unknown, Route>(
  (route) => api.DELETE("/api/routes/{id}", { params: { path: { id: route.id } } }),
  {
    done: (_, route) => {
      say(`The route ${route.name} is deleted. Trips that were made on it stay.`);
    },
    after: () => {
      leaving.value = undefined;
      void queryClient.invalidateQueries({ queryKey: ["routes"] });
    },
  },
);
</script>

<template>
  <div class="flex min-h-0 flex-1 flex-col">
    <div class="where">
      <h1>Routes</h1>
      <span class="soft">saved ways of making a trip: choose one, and nothing is left to set up</span>
      <RouterLink v-if="mayPrepare" class="btn go ml-auto" to="/send-out">Send records out</RouterLink>
    </div>
    <div class="work">
      <div class="main overflow-auto" tabindex="0" role="region" aria-label="Routes">
        <table v-if="routes?.length" class="plain-table">
          <thead>
            <tr>
              <th>Route</th>
              <th>What it does</th>
              <th>Last used</th>
              <th><span class="sr-only">What can be done</span></th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="route in routes" :key="route.id" data-testid="route">
              <td class="w-56">
                <b>{{ route.name }}</b>
                <span class="mt-1 flex items-center gap-2"
                  ><StageLabel :stage="route.stage" /><span class="soft truncate text-small">{{
                    route.label
                  }}</span></span
                >
              </td>
              <td>
                <p v-if="route.says"><span class="soft">Out:</span> {{ route.says }}</p>
                <p v-if="route.says_in"><span class="soft">In:</span> {{ route.says_in }}</p>
                <details v-if="route.lanes.length" class="text-small">
                  <summary class="cursor-pointer text-marine">
                    {{ many(route.lanes.length, "lane", "lanes") }}
                  </summary>
                  <p v-for="one in route.lanes" :key="one" class="ml-3">{{ one }}</p>
                </details>
                <p v-if="mayPrepare" class="flex flex-wrap items-center gap-x-2">
                  <span class="soft">Where a row is refused:</span>
                  <RefusalsPart
                    :model-value="troubleOf(route.on_refusals)"
                    :can-be-atomic="false"
                    @update:model-value="refusals.start({ route, trouble: $event })"
                  />
                </p>
                <p v-else-if="route.on_refusals.stop_after" class="soft">
                  Where rows are refused, it {{ ruleWords({ ...route.on_refusals, atomic: false }) }}.
                </p>
                <ByItself
                  v-if="route.comes_in"
                  :route="route"
                  :now="byItself?.find((one) => one.route === route.id)"
                  :may-prepare="mayPrepare"
                />
                <p v-for="one in route.lost" :key="one" class="mt-1 text-small text-held"><b>?</b> {{ one }}</p>
              </td>
              <td class="w-44 text-small">
                <template v-if="route.used_at"
                  ><span :title="fullTime(route.used_at)">{{ when(route.used_at) }}</span>,
                  {{ many(route.rows ?? 0, "row", "rows") }}
                  <small class="soft block">used {{ many(route.used, "time", "times") }}</small></template
                >
                <span v-else class="soft">never yet</span>
                <small class="soft block">kept by {{ route.made_by.name }}</small>
              </td>
              <td class="w-80 text-right whitespace-nowrap">
                <template v-if="mayPrepare">
                  <RouterLink
                    v-if="route.document"
                    class="btn sm"
                    :to="{ name: 'send-out', query: { route: String(route.id) } }"
                    :aria-label="`Send out: ${route.name}`"
                    >Send out</RouterLink
                  >
                  <label v-if="route.comes_in" class="btn sm ml-1.5 cursor-pointer focus-within:outline-2"
                    >Bring a sheet in<input
                      type="file"
                      class="sr-only"
                      :aria-label="`Bring a sheet in: ${route.name}`"
                      accept=".xlsx,.xls,.ods,.csv,.tsv,.txt"
                      @change="bringOn(route, $event)"
                  /></label>
                  <button
                    type="button"
                    class="btn sm ml-1.5"
                    :aria-label="`Guards of ${route.name}`"
                    @click="guarded = route"
                  >
                    Guards
                  </button>
                  <button
                    type="button"
                    class="btn sm ml-1.5"
                    :aria-label="`Delete… ${route.name}`"
                    @click="leaving = route"
                  >
                    Delete…
                  </button>
                </template>
              </td>
            </tr>
          </tbody>
        </table>
        <p v-else-if="isPending" class="soft p-5">Looking for your routes…</p>
        <div v-else-if="routes" class="m-auto max-w-md p-6 text-center">
          <h2 class="!text-title">No route is kept yet.</h2>
          <p class="soft mt-2">
            What goes out every month is chosen once, and how a sheet comes in: columns, lanes, key. Set it up at Send
            records out or at a trip's Columns, and keep it as a route.
          </p>
        </div>
      </div>
    </div>
    <RouteGuards v-if="guarded" :key="guarded.id" :route="guarded" @close="guarded = undefined" />
    <DialogFrame :open="!!leaving" title="Delete the route" @close="leaving = undefined">
      <p class="mb-3">
        {{ leaving?.name }} was used {{ count(leaving?.used) }} times. Trips that were made on it stay as they are.
      </p>
      <div class="flex gap-2">
        <BusyButton type="button" class="warn" :busy="deleting.busy.value" @click="leaving && deleting.start(leaving)"
          >Delete it</BusyButton
        >
        <button type="button" class="btn" @click="leaving = undefined">Keep it</button>
      </div>
    </DialogFrame>
  </div>
</template>
