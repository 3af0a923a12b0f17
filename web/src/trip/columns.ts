/** The sheet's columns as the grid of Review and Outcome shows them. */
import { computed, type ComputedRef, type Ref } from "vue";

import type { Column, TripDetail } from "@/api/client";
import type { GridColumn } from "@/grid/columns";
import { count, exact } from "@/parts/format";

const NUMBERS = ["decimal", "whole number"];

/** What a column does, in a few words. */
export function sub(column: Column): string {
  if (column.is_key) return "key";
  if (column.tells && !column.changed) return "tells it apart";
  if (!column.field) return "not carried";
  if (!column.carried) return "for reading";
  if (!column.changed && column.emptied) return `${count(column.emptied)} emptied, left`;
  if (!column.changed) return column.two_way ? "no change · not sent out" : "no change";
  const sum =
    column.difference && column.difference !== "0"
      ? ` · Σ ${column.difference.startsWith("-") ? "" : "+"}${exact(column.difference)}`
      : "";
  return `${count(column.changed)} changed${sum}${column.emptied ? ` · ${count(column.emptied)} emptied` : ""}`;
}

/** Whether there is anything to see in a column: something is written, asked or cannot be read. */
export const matters = (column: Column): boolean =>
  column.is_key || column.tells || !!(column.changed || column.held || column.unreadable || column.emptied);

const asGrid = (column: Column, at: number): GridColumn => ({
  at,
  key: column.column,
  title: column.label ?? column.header,
  sub: sub(column),
  isKey: column.is_key || column.tells,
  number: NUMBERS.includes(column.kind ?? ""),
  dim: !column.carried && !column.is_key && !column.tells,
  field: column.field,
});

export interface Arranged {
  columns: ComputedRef<GridColumn[]>;
  /** Columns in which nothing changes, and that are folded away unless they are wanted. */
  unchanged: ComputedRef<number>;
}

/** Keys first, then what changes, then the rest; the rest is there only where it is unfolded. */
export function useArranged(trip: Ref<TripDetail>, unfolded: Ref<boolean>): Arranged {
  const all = computed(() => trip.value.columns.map((column, at) => ({ column, grid: asGrid(column, at) })));
  const rest = computed(() => all.value.filter(({ column }) => !matters(column)));
  const foremost = computed(() => [
    ...all.value.filter(({ column }) => column.is_key),
    ...all.value.filter(({ column }) => column.tells && !column.is_key),
    ...all.value.filter(({ column }) => !column.is_key && !column.tells && matters(column)),
  ]);
  /** Where nothing changes at all, everything is shown. */
  const some = computed(() => foremost.value.some(({ column }) => !column.is_key && !column.tells));
  return {
    columns: computed(() =>
      [...foremost.value, ...(some.value && !unfolded.value ? [] : rest.value)].map(({ grid }) => grid),
    ),
    unchanged: computed(() => (some.value ? rest.value.length : 0)),
  };
}

/** The column of which a picture is shown: the one that is chosen, else the one that changes most. */
export function pictured(columns: readonly Column[], chosen: number): Column | undefined {
  const changed = columns.filter((one) => one.changed && !one.is_key);
  const own = columns[chosen];
  return own?.changed ? own : changed.sort((one, other) => other.changed - one.changed)[0];
}
