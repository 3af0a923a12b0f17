/** Rows of a long list, asked for in blocks around what is on the screen.
 *
 * Blocks are kept for the way back; while the rows of another question are on their way, those of the last one stay.
 */
import { useQueries, useQueryClient } from "@tanstack/vue-query";
import { computed, shallowRef, watch } from "vue";

import { api, data, isAskedAgain, Problem, type Row, type Schemas } from "@/api/client";
import { lookedAt } from "@/api/part";

const BLOCK = 64;
/** Blocks asked for at once: what is on the screen, and a little around it. */
const MOST = 6;
/** Blocks at hand besides. */
const KEPT = 60;

export interface Asked {
  /** Whose rows: a trip, or with the view "waiting" a file that waits; 0 while there are none to ask for. */
  trip: number;
  view: "waiting" | "file" | "lanes" | "review" | "outcome";
  state: string;
  column: string;
  text: string;
  /** Only rows with this fault. */
  code?: string;
  /** Only rows that a decision is about, by its number. */
  decision?: string;
  /** Only rows that change the column from one value to another. */
  change?: string;
  /** Only rows that one thing stops first of all: code, field and message, as a JSON list. */
  reason?: string;
  /** Only rows that differ from those of the trip that this one was moved from. */
  moved?: string;
  order: string;
  /** Changes when the rows behind the question do. */
  version: string;
}

type Window = Schemas["Window"];

/** Rows, and the question that they answer. */
interface Answer {
  to: string;
  window: Window;
}

function fetchBlock(asked: Asked, block: number): Promise<Window> {
  const {
    trip,
    view,
    state,
    column,
    text,
    code = "",
    decision = "",
    change = "",
    reason = "",
    moved = "",
    order,
  } = asked;
  if (view === "waiting") {
    const range = { offset: block * BLOCK, limit: BLOCK };
    return data(api.GET("/api/uploads/{number}/rows", { params: { path: { number: trip }, query: range } }));
  }
  const query = {
    view,
    state,
    column,
    text,
    code,
    decision,
    change,
    reason,
    moved,
    order,
    offset: block * BLOCK,
    limit: BLOCK,
  };
  const params = { path: { id: trip }, query };
  return data(
    view === "outcome" ? api.GET("/api/trips/{id}/outcome", { params }) : api.GET("/api/trips/{id}/rows", { params }),
  );
}

export function useWindow(asked: () => Asked) {
  const client = useQueryClient();
  const question = computed(asked);
  const key = computed(() => JSON.stringify([question.value, lookedAt.value]));
  const keyOf = (block: number) => ["rows", question.value.trip, lookedAt.value, key.value, block];
  const wanted = shallowRef([0]);
  const results = useQueries(
    {
      queries: computed(() => {
        const now = question.value;
        const to = key.value;
        return now.trip
          ? wanted.value.map((block) => ({
              queryKey: keyOf(block),
              queryFn: async (): Promise<Answer> => ({ to, window: await fetchBlock(now, block) }),
              staleTime: Infinity,
              gcTime: 120_000,
              meta: { told: true },
              // A trip that is being planned has no plan for a moment; what is not there stays an error.
              retry: (count: number, error: Error) =>
                error instanceof Problem ? isAskedAgain(count, error) : count < 3,
            }))
          : [];
      }),
    },
    client,
  );
  const blocks = computed(() => {
    const found = new Map<number, Window>();
    wanted.value.forEach((block, at) => {
      const answer = results.value[at]?.data;
      // Results follow a little behind what is asked: what still answers the last question is none to this one.
      if (answer?.to === key.value) found.set(block, answer.window);
    });
    return found;
  });
  /** The rows of the last question that was answered: shown until those of this one come. */
  const last = shallowRef<{ key: string; total: number; blocks: Map<number, Window> }>();
  watch(
    blocks,
    (now) => {
      const any = now.values().next().value;
      if (!any) return;
      const before = last.value?.key === key.value ? last.value.blocks : new Map<number, Window>();
      const kept = [...before].filter(([block]) => !now.has(block)).slice(-KEPT);
      last.value = { key: key.value, total: any.total, blocks: new Map([...kept, ...now]) };
    },
    { immediate: true, flush: "sync" },
  );
  watch(key, () => (wanted.value = [0]), { flush: "sync" });

  const shown = computed(() => (question.value.trip ? last.value : undefined));
  const error = computed(() => results.value.find((result) => result.error)?.error ?? null);
  const total = computed(() => shown.value?.total ?? 0);
  /** Whether this question, and not only the one before it, has been answered. */
  const ready = computed(() => shown.value?.key === key.value || !!error.value);
  const rowAt = (at: number): Row | undefined => shown.value?.blocks.get(Math.floor(at / BLOCK))?.rows[at % BLOCK];

  /** Make sure that the rows from first to last are on their way. */
  function want(first: number, end: number): void {
    const from = Math.floor(Math.max(0, first) / BLOCK);
    const to = Math.floor(Math.max(0, end) / BLOCK);
    const asked = Array.from({ length: Math.min(MOST, to - from + 1) }, (_, at) => from + at).filter(
      (block) => block === 0 || !ready.value || block * BLOCK < total.value,
    );
    const kept = wanted.value.filter((block) => !asked.includes(block)).slice(-MOST);
    if (asked.some((block) => !wanted.value.includes(block))) wanted.value = [...kept, ...asked];
  }

  const again = (): void => {
    for (const result of results.value) if (result.error) void result.refetch();
  };

  return { rowAt, total, ready, want, error, again };
}

export type RowWindow = ReturnType<typeof useWindow>;
