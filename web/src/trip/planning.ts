/** Planning a trip anew: the application is asked again, and Review shows what it says now. */
import { ref } from "vue";
import { useRouter } from "vue-router";

import { api, data } from "@/api/client";
import { jobEnded } from "@/api/queries";
import { sayError } from "@/shell/notices";

import { useTripContext } from "./context";

export function usePlanAgain() {
  const { trip, refresh } = useTripContext();
  const router = useRouter();
  const busy = ref(false);

  async function planAgain(): Promise<void> {
    if (busy.value) return;
    busy.value = true;
    try {
      const asked = await data(api.POST("/api/trips/{id}/plan", { params: { path: { id: trip.value.id } } }));
      const job = await jobEnded(asked.id);
      await refresh();
      if (job.state !== "done") throw new Error(job.error || job.message);
      await router.push({ name: "trip", params: { id: trip.value.id, station: "review" } });
    } catch (error) {
      sayError(error);
    } finally {
      busy.value = false;
    }
  }
  return { planAgain, busy };
}
