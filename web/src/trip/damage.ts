/** Damage by spreadsheets, in figures. */
import type { TripDetail } from "@/api/client";

/** How many cells look damaged; those that were edited though only for reading are not damage. */
export const harmedCells = (trip: TripDetail): number =>
  trip.damage.filter((one) => one.kind !== "read-only").reduce((sum, one) => sum + one.count, 0);
