/** A lane that is worked on: kept in this window until it is used, tried on the whole column while it changes. */
import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import { refDebounced, useSessionStorage } from "@vueuse/core";
import { computed, type Ref } from "vue";

import { api, data, type Schemas } from "@/api/client";

import { bareLane, type Lane, lacks, same, type OfferedTreatment } from "./lanes";

export interface Worked {
  draft: Ref<Lane>;
  /** Something is said that does not count yet. */
  changed: Ref<boolean>;
  /** It can be tried and used: nothing is lacking. */
  whole: Ref<boolean>;
  tried: Ref<Schemas["TriedLane"] | undefined>;
  error: Ref<Error | null>;
  forget: () => void;
}

export function useLane(
  asked: () => { trip: number; version: number; field: string; column: string; lane: Lane },
  treatments: Ref<readonly OfferedTreatment[]>,
): Worked {
  const kept = useSessionStorage<Record<string, Lane>>("lanes", {});
  const key = computed(() => `${asked().trip} ${asked().field}`);
  const draft = computed({
    get: () => kept.value[key.value] ?? bareLane(asked().lane),
    set: (lane) => {
      const others = Object.entries(kept.value).filter(([name]) => name !== key.value);
      kept.value = Object.fromEntries(same(lane, asked().lane) ? others : [...others, [key.value, lane]]);
    },
  });
  const changed = computed(() => !same(draft.value, asked().lane));
  const whole = computed(() => {
    const lane = draft.value;
    if (lane.source.startsWith("\u0000")) return false;
    const kindOf = (name: string) => treatments.value.find((kind) => kind.do === name);
    return lane.treatments.every((treatment) => !lacks(kindOf(treatment.do), treatment));
  });
  const rested = refDebounced(draft, 200);
  const { data: tried, error } = useQuery({
    queryKey: computed(() => ["lane", asked().trip, asked().version, asked().field, asked().column, rested.value]),
    queryFn: () =>
      data(
        api.POST("/api/trips/{id}/lanes", {
          params: { path: { id: asked().trip } },
          body: { name: asked().field, column: asked().column, lane: rested.value },
        }),
      ),
    enabled: computed(() => !!asked().field && whole.value && same(rested.value, draft.value)),
    placeholderData: keepPreviousData,
    retry: false,
    staleTime: 60_000,
    meta: { told: 422 },
  });
  return {
    draft,
    changed,
    whole,
    tried,
    error,
    forget: () => {
      draft.value = bareLane(asked().lane);
    },
  };
}
