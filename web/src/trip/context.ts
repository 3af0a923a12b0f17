/** What the stations of a trip share. */
import { inject, type InjectionKey, type Ref } from "vue";

import type { TripDetail } from "@/api/client";

export interface TripContext {
  trip: Ref<TripDetail>;
  mayPrepare: Ref<boolean>;
  /** Take an answer of the API as the trip's new state. */
  set: (trip: TripDetail) => void;
  refresh: () => Promise<void>;
}

export const tripKey: InjectionKey<TripContext> = Symbol("trip");

export function useTripContext(): TripContext {
  const context = inject(tripKey);
  if (!context) throw new Error("outside a trip");
  return context;
}
