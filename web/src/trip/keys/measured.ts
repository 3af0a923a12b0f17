/** Keys as they were measured: asked for, measured anew where they no longer count, and the rows behind a number. */
import { useQuery } from "@tanstack/vue-query";
import { computed, type ComputedRef, type Ref, watch } from "vue";

import { api, data, type Schemas } from "@/api/client";
import { lookedAt } from "@/api/part";
import { jobDone } from "@/api/queries";
import { useDoing } from "@/ui/doing";

import { useTripContext } from "../context";

export type Candidate = Schemas["KeyCandidate"];
export type Finds = keyof Candidate["rows"];
export type Measured = Schemas["MeasuredKeys"];

/** Records of a type up to which its keys are measured without being asked to: a moment's reading. */
const FEW = 20_000;

/** What a key finds, in the order and the words of its numbers. */
export const FINDS: readonly { finds: Finds; says: string; means: string }[] = [
  { finds: "one", says: "find one record", means: "update" },
  { finds: "none", says: "find none", means: "create" },
  { finds: "several", says: "find several", means: "held" },
  { finds: "shared", says: "share a record", means: "aside" },
  { finds: "blank", says: "have no key", means: "rejected" },
];

export interface MeasuredKeys {
  measured: ComputedRef<Measured | undefined>;
  measure: (keys?: string[][]) => void;
  busy: Ref<boolean>;
}

export function useMeasuredKeys(): MeasuredKeys {
  const { trip, mayPrepare } = useTripContext();
  const path = computed(() => ({ id: trip.value.id }));
  const { data: now, refetch } = useQuery({
    // What was measured counts as long as the trip's sheet and columns do: each change of these is a version.
    queryKey: computed(() => ["trip", trip.value.id, lookedAt.value, "keys", trip.value.version]),
    queryFn: () => data(api.GET("/api/trips/{id}/keys", { params: { path: path.value } })),
    enabled: computed(() => !!trip.value.rows),
  });
  const { start, busy } = useDoing(
    async (keys: string[][]) => {
      const job = await data(api.POST("/api/trips/{id}/keys", { params: { path: path.value }, body: { keys } }));
      await jobDone(job.id);
    },
    { after: () => refetch() },
  );
  const measure = (keys: string[][] = []): void => {
    start(keys);
  };
  watch(
    now,
    (told) => {
      if (!told || told.current || busy.value || !mayPrepare.value || trip.value.job) return;
      if ((told.type_size ?? 0) <= FEW) measure();
    },
    { immediate: true },
  );
  return { measured: computed(() => now.value), measure, busy };
}

/** A window of the rows behind a number of a key. */
export function useKeyRows(of: Ref<{ fields: string[]; finds: Finds } | null>) {
  const { trip } = useTripContext();
  return useQuery({
    queryKey: computed(() => ["trip", trip.value.id, lookedAt.value, "key rows", of.value]),
    queryFn: () => {
      const { fields, finds } = of.value ?? { fields: [], finds: "one" as const };
      const query = { key: fields.join(","), finds, limit: 200 };
      return data(api.GET("/api/trips/{id}/keys/rows", { params: { path: { id: trip.value.id }, query } }));
    },
    enabled: computed(() => !!of.value),
  });
}
