/** Answering what the plan asks, and taking the last answer back. */
import { computed, type ComputedRef } from "vue";

import { api, data, type Schemas } from "@/api/client";
import { many } from "@/parts/format";
import { say } from "@/services/notices";
import { useDoing } from "@/ui/doing";

import { useTripContext } from "../context";

export type Answer = Schemas["AnswerOption"];

export interface Scope {
  answer: Answer["answer"];
  /** Some rows, by their number in the trip; or all rows with a fault. */
  rows?: number[];
  code?: string;
  field?: string;
  argument?: string;
  /** How many rows that is, where it is known beforehand. */
  count?: number;
  /** It is about records that have no row. */
  records?: boolean;
}

export interface Deciding {
  decide: (scope: Scope) => void;
  /** Take a decision back; without one, the last that the person made. */
  undo: (decision?: Schemas["DecisionFact"]) => void;
  /** Whether answers are taken now. */
  open: ComputedRef<boolean>;
}

export function useDeciding(): Deciding {
  const { trip, mayPrepare, set, refresh } = useTripContext();
  const { busy, start } = useDoing((step: () => Promise<string>) => step(), {
    done: (text) => {
      say(text);
    },
    after: () => refresh().catch(() => {}),
  });
  const open = computed(() => mayPrepare.value && !busy.value && !trip.value.job && !!trip.value.plan?.current);
  const doing = (step: () => Promise<string>): void => {
    if (open.value) start(step);
  };

  const decide = (scope: Scope): void => {
    doing(async () => {
      const { rows, code = "", field = "", answer, argument = "" } = scope;
      const plan = trip.value.plan?.number ?? 0;
      const body = { plan, rows, code, field, answer, argument };
      set(await data(api.POST("/api/trips/{id}/decisions", { params: { path: { id: trip.value.id } }, body })));
      const number = scope.count ?? rows?.length ?? 0;
      const [one, more] = scope.records ? ["record", "records"] : ["row", "rows"];
      return `${many(number, one, more)} decided. Undo with U.`;
    });
  };

  const undo = (decision?: Schemas["DecisionFact"]): void => {
    doing(async () => {
      const path = { id: trip.value.id };
      const last =
        decision ?? (await data(api.GET("/api/trips/{id}/decisions", { params: { path } }))).find((one) => one.mine);
      if (!last) return "You have decided nothing that could be undone. All decisions are listed at Review.";
      const params = { path: { ...path, number: last.id } };
      set(await data(api.DELETE("/api/trips/{id}/decisions/{number}", { params })));
      const [one, more] = last.of_records ? ["record", "records"] : ["row", "rows"];
      return `Taken back: ${last.says}, ${many(last.count, one, more)}.`;
    });
  };

  return { decide, undo, open };
}
