/** How a plan is to be sent: when, and what is done where rows are refused. Kept until there is another plan. */
import { computed, reactive, type ComputedRef, type Ref } from "vue";

import type { TripDetail } from "@/api/client";
import { momentAt, type Wall, wallOf, zone } from "@/parts/reading";

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

const FIELD = /^(\d{4})-(\d\d)-(\d\d)T(\d\d):(\d\d)$/;

/** The moment that a field holds: null for at once, nothing where it is not one or has gone by. */
export function momentOf(at: string, now = Date.now()): Date | null | undefined {
  if (!at) return null;
  const parts = FIELD.exec(at)?.slice(1).map(Number);
  if (!parts) return undefined;
  const [year = 0, month = 0, day = 0, hour = 0, minute = 0] = parts;
  const moment = momentAt({ year, month, day, hour, minute }, zone.value);
  return Number.isNaN(moment.getTime()) || moment.getTime() <= now ? undefined : moment;
}

const two = (value: number): string => String(value).padStart(2, "0");
const written = (wall: Wall): string =>
  `${wall.year}-${two(wall.month)}-${two(wall.day)}T${two(wall.hour)}:${two(wall.minute)}`;

/** A day and time as a field for them holds it, in the reader's zone. */
export const asField = (moment: Date): string => written(wallOf(moment, zone.value));

/** What is offered first: the next 20:00. */
export function thisEvening(now = new Date()): string {
  const today = wallOf(now, zone.value);
  const evening = { ...today, hour: 20, minute: 0 };
  if (today.hour < 20) return written(evening);
  return written({ ...wallOf(new Date(Date.UTC(today.year, today.month - 1, today.day + 1)), "UTC"), hour: 20 });
}
