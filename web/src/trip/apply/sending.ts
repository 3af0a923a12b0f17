/** How a plan is to be sent: when, and what is done where rows are refused. Kept until there is another plan. */
import { computed, reactive, type ComputedRef, type Ref } from "vue";

import type { TripDetail } from "@/api/client";

import { troubleOf, type Trouble } from "./trouble";

export interface Sending {
  trouble: Trouble;
  /** When, as a field for days and times holds it, in the reader's zone; empty for at once. */
  at: string;
}

const kept = reactive(new Map<string, Sending>());

/** As it was chosen for the plan that counts, at Apply or where it is confirmed. */
export function useSending(trip: Ref<TripDetail>): ComputedRef<Sending> {
  return computed(() => {
    const key = `${trip.value.id} ${trip.value.plan?.number ?? 0}`;
    const there = kept.get(key);
    if (there) return there;
    kept.set(key, { trouble: troubleOf(trip.value.on_refusals), at: "" });
    return kept.get(key) as Sending;
  });
}

/** The moment that a field holds: null for at once, nothing where it is not one or has gone by. */
export function momentOf(at: string, now = Date.now()): Date | null | undefined {
  if (!at) return null;
  const moment = new Date(at);
  return Number.isNaN(moment.getTime()) || moment.getTime() <= now ? undefined : moment;
}

/** A day and time as a field for them holds it, in the reader's zone. */
export function asField(moment: Date): string {
  const two = (value: number): string => String(value).padStart(2, "0");
  const day = `${moment.getFullYear()}-${two(moment.getMonth() + 1)}-${two(moment.getDate())}`;
  return `${day}T${two(moment.getHours())}:${two(moment.getMinutes())}`;
}

/** What is offered first: the next 20:00. */
export function thisEvening(now = new Date()): string {
  const evening = new Date(now.getFullYear(), now.getMonth(), now.getDate(), 20);
  if (evening <= now) evening.setDate(evening.getDate() + 1);
  return asField(evening);
}
