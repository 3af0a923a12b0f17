/** Planning a trip anew: the application is asked again, and Review shows what it says now. */
import type { Ref } from "vue";
import { useRouter } from "vue-router";

import { api, data } from "@/api/client";
import { jobDone } from "@/api/queries";
import { useDoing } from "@/ui/doing";

import { useTripContext } from "./context";

export function usePlanAgain(): { planAgain: () => void; busy: Ref<boolean> } {
  const { trip, refresh } = useTripContext();
  const router = useRouter();
  const { start, busy } = useDoing(
    async () => {
      const asked = await data(api.POST("/api/trips/{id}/plan", { params: { path: { id: trip.value.id } } }));
      await jobDone(asked.id).finally(refresh);
    },
    { done: () => router.push({ name: "trip", params: { id: trip.value.id, station: "review" } }) },
  );
  return { planAgain: start, busy };
}
