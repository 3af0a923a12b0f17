/** Rows of a long list, fetched in blocks around what is on the screen. */
import { reactive, ref, watch } from "vue";

import { api, data, Problem, type Row } from "@/api/client";

const BLOCK = 64;

export interface Asked {
  /** 0 while there are no rows to ask for. */
  trip: number;
  view: string;
  state: string;
  column: string;
  text: string;
  /** Changes when the rows behind the question do. */
  version: string;
}

export function useWindow(asked: () => Asked) {
  const blocks = reactive(new Map<number, Row[]>());
  const total = ref(0);
  const ready = ref(false);
  const slowest = ref(0);
  const pending = new Set<number>();
  let question = 0;

  async function fetchBlock(block: number): Promise<void> {
    if (pending.has(block) || blocks.has(block) || !asked().trip) return;
    pending.add(block);
    const mine = question;
    const { trip, view, state, column, text } = asked();
    const began = performance.now();
    try {
      const params = { path: { id: trip }, query: { view, state, column, text, offset: block * BLOCK, limit: BLOCK } };
      const window = await data(
        view === "outcome"
          ? api.GET("/api/trips/{id}/outcome", { params })
          : api.GET("/api/trips/{id}/rows", { params }),
      );
      if (mine !== question) return;
      blocks.set(block, window.rows);
      total.value = window.total;
      ready.value = true;
      slowest.value = Math.max(slowest.value, performance.now() - began);
    } catch (error) {
      if (mine === question && error instanceof Problem && error.status === 0) {
        setTimeout(() => {
          pending.delete(block);
          if (mine === question) void fetchBlock(block);
        }, 800);
        return;
      }
      if (mine === question) ready.value = true;
    } finally {
      if (mine === question) pending.delete(block);
    }
  }

  /** Make sure that the rows from first to last are on their way. */
  function want(first: number, last: number): void {
    for (let block = Math.floor(Math.max(0, first) / BLOCK); block <= Math.floor(last / BLOCK); block++) {
      if (block === 0 || block * BLOCK < total.value) void fetchBlock(block);
    }
  }

  const rowAt = (at: number): Row | undefined => blocks.get(Math.floor(at / BLOCK))?.[at % BLOCK];

  watch(
    () => JSON.stringify(asked()),
    () => {
      question++;
      pending.clear();
      blocks.clear();
      void fetchBlock(0);
    },
    { immediate: true },
  );

  return { rowAt, total, ready, want, slowest };
}

export type RowWindow = ReturnType<typeof useWindow>;
