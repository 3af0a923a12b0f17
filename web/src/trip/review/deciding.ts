/** Answering what the plan asks, and taking the last answer back. */
import { computed, ref } from "vue";

import { api, data, type Schemas } from "@/api/client";
import { many } from "@/parts/format";
import { say, sayError } from "@/shell/notices";

import { useTripContext } from "../context";

export type Answer = Schemas["Decide"]["answer"];

export interface Scope {
  answer: Answer;
  /** Some rows, by their number in the trip; or all rows with a fault. */
  rows?: number[];
  code?: string;
  field?: string;
  argument?: string;
  /** How many rows that is, where it is known beforehand. */
  count?: number;
}

export function useDeciding() {
  const { trip, mayPrepare, set, refresh } = useTripContext();
  const busy = ref(false);
  const open = computed(() => mayPrepare.value && !busy.value && !trip.value.job && !!trip.value.plan?.current);

  async function doing(step: () => Promise<string>): Promise<void> {
    if (!open.value) return;
    busy.value = true;
    try {
      say(await step());
      await refresh();
    } catch (error) {
      sayError(error);
      await refresh().catch(() => {});
    } finally {
      busy.value = false;
    }
  }

  const decide = (scope: Scope): Promise<void> =>
    doing(async () => {
      const { rows = [], code = "", field = "", answer, argument = "" } = scope;
      const plan = trip.value.plan?.number ?? 0;
      const body = { plan, rows, code, field_name: field, answer, argument };
      set(await data(api.POST("/api/trips/{id}/decisions", { params: { path: { id: trip.value.id } }, body })));
      return `${many(scope.count ?? rows.length, "row", "rows")} decided. Undo with U.`;
    });

  const undo = (): Promise<void> =>
    doing(async () => {
      const path = { id: trip.value.id };
      const [last] = await data(api.GET("/api/trips/{id}/decisions", { params: { path } }));
      if (!last) return "Nothing has been decided that could be undone.";
      const params = { path: { ...path, number: last.id } };
      set(await data(api.DELETE("/api/trips/{id}/decisions/{number}", { params })));
      return `Taken back: ${last.answer}, ${many(last.count, "row", "rows")}.`;
    });

  return { decide, undo, open };
}
