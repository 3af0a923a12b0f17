/** Editing the cells of a trip's sheet: one way for File, Review and Outcome; the rows are planned again at once. */
import { computed, type ComputedRef } from "vue";

import { api, data, type Row, type Schemas, type TripDetail } from "@/api/client";
import { jobDone } from "@/api/queries";
import { many } from "@/parts/format";
import { say } from "@/services/notices";
import { useDoing } from "@/ui/doing";

import { useTripContext } from "../context";

export type EditBody = Partial<Schemas["MakeEdit"]> & Pick<Schemas["MakeEdit"], "kind">;

export interface Editing {
  edit: (body: EditBody, done?: string) => void;
  undo: (number: number) => void;
  /** Which rows are carried, and what is expected. */
  only: (body: Partial<Schemas["PatchedOnly"]>) => void;
  expect: (body: Schemas["PatchedExpect"]) => void;
  /** Whether edits are taken now. */
  open: ComputedRef<boolean>;
}

export function useEditing(): Editing {
  const { trip, mayPrepare, set, refresh } = useTripContext();
  const doing = useDoing(
    async ({ step, done }: { step: () => Promise<TripDetail>; done: string }) => {
      const now = await step();
      set(now);
      if (now.job) await jobDone(now.job.id).finally(refresh);
      return done;
    },
    {
      done: (words) => {
        if (words) say(words);
      },
      after: () => refresh().catch(() => {}),
    },
  );
  const open = computed(() => mayPrepare.value && !doing.busy.value && !trip.value.job);
  const start = (step: () => Promise<TripDetail>, done = ""): void => {
    if (open.value) doing.start({ step, done });
  };
  const params = () => ({ path: { id: trip.value.id }, header: { "If-Match": `"${trip.value.version}"` } });

  return {
    open,
    edit: (asked, done = "") => {
      const body = { column: "", damage: "", ...asked };
      start(() => data(api.POST("/api/trips/{id}/edits", { params: params(), body })), done);
    },
    undo: (number) => {
      const path = { id: trip.value.id, number };
      start(() => data(api.DELETE("/api/trips/{id}/edits/{number}", { params: { path } })), "The edit is taken back.");
    },
    only: (asked) => {
      const body = { carry: "" as const, ...asked };
      start(() => data(api.PATCH("/api/trips/{id}/only", { params: params(), body })));
    },
    expect: (body) => {
      const path = { id: trip.value.id };
      start(() => data(api.PATCH("/api/trips/{id}/expected", { params: { path }, body })));
    },
  };
}

/** Cells that are typed and pasted in a grid, by their place among a row's cells.
 *
 * @param shown which rows stand in the grid, where they are not those of the sheet one after the other.
 */
export function useCellEdits(shown?: () => EditBody["shown"]) {
  const { trip } = useTripContext();
  const { edit } = useEditing();
  return {
    typed: (row: Row, at: number, text: string): void => {
      const own = trip.value.columns[at];
      if (own) edit({ kind: "cell", row_id: row.row_id, column: own.column, text });
    },
    pasted: (row: Row, at: number, text: string): void => {
      const own = trip.value.columns[at];
      const block = blockOf(text);
      const body: EditBody = { kind: "paste", row_id: row.row_id, column: own?.column ?? "", block };
      if (own) edit(shown ? { ...body, shown: shown() } : body, blockWords(block));
    },
  };
}

/** A block of cells from a clipboard: lines and tabs, cells in quotation marks where they hold either. */
export function blockOf(text: string): string[][] {
  const lines: string[][] = [];
  let line: string[] = [];
  let cell = "";
  let quoted = false;
  const plain = text.replace(/\r\n?/g, "\n").replace(/\n$/, "");
  for (let at = 0; at < plain.length; at += 1) {
    const one = plain.charAt(at);
    if (quoted) {
      if (one !== '"') cell += one;
      else if (plain.charAt(at + 1) === '"') {
        cell += '"';
        at += 1;
      } else quoted = false;
    } else if (one === '"' && !cell) quoted = true;
    else if (one === "\t" || one === "\n") {
      line.push(cell);
      cell = "";
      if (one === "\n") {
        lines.push(line);
        line = [];
      }
    } else cell += one;
  }
  return [...lines, [...line, cell]];
}

const blockWords = (block: string[][]): string =>
  `${many(block.length, "row", "rows")} by ${many(block[0]?.length ?? 0, "column", "columns")} pasted. Undo it among the edits.`;
