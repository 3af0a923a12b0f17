/** Records in reach that no row of the sheet is about. */
import { useQuery } from "@tanstack/vue-query";
import { computed, type ComputedRef, type Ref } from "vue";

import { api, data, type Schemas, type TripDetail } from "@/api/client";
import { lookedAt, withPart } from "@/api/part";
import { many } from "@/parts/format";

import { useTripContext } from "../context";

/** What becomes of such a record: its sign, and the words of its sum, in their order. */
export const BECOMES = {
  delete: { sign: "delete", word: "to delete" },
  held: { sign: "held", word: "asked" },
  kept: { sign: "same", word: "kept" },
} as const;
export type Becomes = keyof typeof BECOMES;
export const EACH = Object.keys(BECOMES) as Becomes[];

export type AbsentRecord = Schemas["AbsentRecord"];

export function useAbsent(): { absent: Ref<Schemas["AbsentRecords"] | undefined>; file: ComputedRef<string> } {
  const { trip } = useTripContext();
  const { data: absent } = useQuery({
    queryKey: computed(() => ["trip", trip.value.id, lookedAt.value, "absent", trip.value.plan?.number]),
    queryFn: () => data(api.GET("/api/trips/{id}/keys/absent", { params: { path: { id: trip.value.id } } })),
    enabled: computed(() => !!trip.value.plan),
  });
  const file = computed(() => withPart(`/api/trips/${trip.value.id}/keys/absent.csv`));
  return { absent, file };
}

/** What a button does that sends a plan: its rows, and the records that are deleted. */
export function sends(verb: string, trip: Pick<TripDetail, "to_write" | "absent" | "summary">): string {
  const deletions = Math.min((trip.absent?.delete ?? 0) + (trip.summary?.verdicts.delete ?? 0), trip.to_write);
  const rows = trip.to_write - deletions;
  const words = [
    ...(rows ? [`${verb} ${many(rows, "row", "rows")}`] : []),
    ...(deletions ? [`delete ${many(deletions, "record", "records")}`] : []),
  ].join(", ");
  return words.charAt(0).toUpperCase() + words.slice(1);
}
