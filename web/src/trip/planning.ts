/** Planning a trip anew: the application is asked again, and Review shows what it says now. */
import type { Ref } from "vue";
import { useRouter } from "vue-router";

import { api, data } from "@/api/client";
import { jobDone } from "@/api/queries";
import { useDoing } from "@/ui/doing";

import { useTripContext } from "./context";

/** ``query``: the rows that Review is to show. */
export function usePlanAgain(): { planAgain: (query?: Record<string, string>) => void; busy: Ref<boolean> } {
  const { trip, refresh } = useTripContext();
  const router = useRouter();
  const { start, busy } = useDoing(
    async (query?: Record<string, string>) => {
      const asked = await data(api.POST("/api/trips/{id}/plan", { params: { path: { id: trip.value.id } } }));
      await jobDone(asked.id).finally(refresh);
      return query;
    },
    {
      done: (query) => router.push({ name: "trip", params: { id: trip.value.id, station: "review" }, query }),
    },
  );
  return { planAgain: start, busy };
}
