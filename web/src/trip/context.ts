/** What the stations of a trip share. */
import { computed, inject, type InjectionKey, type Ref } from "vue";

import type { Column, TripDetail } from "@/api/client";
import type { GridColumn } from "@/grid/DataGrid.vue";
import { count, exact } from "@/parts/format";

export interface TripContext {
  trip: Ref<TripDetail>;
  mayPrepare: Ref<boolean>;
  /** Take an answer of the API as the trip's new state. */
  set: (trip: TripDetail) => void;
  refresh: () => Promise<void>;
}

export const tripKey: InjectionKey<TripContext> = Symbol("trip");

export function useTripContext(): TripContext {
  const context = inject(tripKey);
  if (!context) throw new Error("outside a trip");
  return context;
}

const NUMBERS = ["decimal", "whole number"];

function sub(column: Column): string {
  if (column.is_key) return "key";
  if (!column.field_name) return "not carried";
  if (!column.carried) return "for reading";
  if (!column.changed) return column.two_way ? "no change · not sent out" : "no change";
  const sum =
    column.difference && column.difference !== "0"
      ? ` · Σ ${column.difference.startsWith("-") ? "" : "+"}${exact(column.difference)}`
      : "";
  return `${count(column.changed)} changed${sum}`;
}

/** The sheet's columns as the grid shows them. */
export function useGridColumns(trip: Ref<TripDetail>) {
  return computed<GridColumn[]>(() =>
    trip.value.columns.map((column) => ({
      key: column.column,
      title: column.field_label ?? column.header,
      sub: sub(column),
      isKey: column.is_key,
      number: NUMBERS.includes(column.kind ?? ""),
      dim: !column.carried && !column.is_key,
      field: column.field_name,
    })),
  );
}
