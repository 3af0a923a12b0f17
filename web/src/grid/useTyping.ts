/** Typing in the grid's cells: which one is open, and what becomes of what was typed or pasted. */
import { computed, type ComputedRef, type Ref, ref, watch } from "vue";

import type { Row } from "@/api/client";
import { count } from "@/parts/format";
import { say } from "@/services/notices";

import type { RowWindow } from "./useWindow";

export type Step = "down" | "right" | "stay";

export interface TypingPlace {
  window: () => RowWindow;
  current: Ref<number>;
  column: Ref<number>;
  editable: () => ((at: number) => boolean) | undefined;
  focus: () => void;
  /** To the next row, or the next column. */
  step: (by: Exclude<Step, "stay">) => void;
  edit: (row: Row, at: number, text: string) => void;
  paste: (row: Row, at: number, text: string) => void;
}

export interface Typing {
  /** The row that is typed in, by its place; -1 where none is. The column is the one that is meant. */
  at: ComputedRef<number>;
  /** Begin to type in the cell that is meant; whether that can be. */
  begin: () => boolean;
  leave: () => void;
  typed: (text: string, step: Step) => void;
  onPaste: (event: ClipboardEvent) => void;
}

export function useTyping(place: TypingPlace): Typing {
  const at = ref(-1);
  watch([place.current, place.column], () => (at.value = -1));

  function begin(): boolean {
    const can = place.column.value >= 0 && !!place.editable()?.(place.column.value);
    const row = place.window().rowAt(place.current.value);
    const characters = row?.cells[place.column.value]?.characters ?? 0;
    if (can && characters) {
      // It is shown in part: what is typed here would take the rest away.
      say(`This text has ${count(characters)} characters. Edit it in a spreadsheet, and bring that in.`, true);
      return false;
    }
    if (can && row) at.value = place.current.value;
    return can;
  }
  function leave(): void {
    at.value = -1;
    place.focus();
  }
  function typed(text: string, step: Step): void {
    const row = place.window().rowAt(at.value);
    const column = place.column.value;
    at.value = -1;
    if (row) place.edit(row, column, text);
    if (step === "stay") return;
    place.focus();
    place.step(step);
  }
  function onPaste(event: ClipboardEvent): void {
    const text = event.clipboardData?.getData("text/plain") ?? "";
    const column = place.column.value;
    if (event.target !== event.currentTarget || !text || column < 0 || !place.editable()?.(column)) return;
    event.preventDefault();
    event.stopPropagation();
    const row = place.window().rowAt(place.current.value);
    if (row) place.paste(row, column, text);
  }
  return { at: computed(() => at.value), begin, leave, typed, onPaste };
}
