/** Which rows of a plan are shown, and in which order: all of it in the page's address. */
import { computed, type ComputedRef, type Ref } from "vue";

import type { Schemas, TripDetail } from "@/api/client";
import { count, many } from "@/parts/format";
import { useInAddress } from "@/ui/address";
import { useTyped } from "@/ui/selected";

import { matters } from "../columns";

interface Option {
  value: string;
  label: string;
  note?: string;
}

export function useFilters(trip: Ref<TripDetail>, state: Ref<string>) {
  const column = useInAddress("changed");
  const order = useInAddress("order");
  /** What the rows are asked, or what is said of them. */
  const why = useInAddress("why");
  /** Only rows that a decision is about. */
  const decided = useInAddress("decided");
  /** Only rows that change the column from one value to another, both as a list in JSON. */
  const change = useInAddress("from-to");
  /** Only rows that differ from those of the trip that this one was moved from. */
  const moved = useInAddress("moved");
  const { typed, kept: text } = useTyped("text");

  /** The rows that are shown: an edit of many rows reaches these. */
  const shown: ComputedRef<Schemas["Shown"]> = computed(() => ({
    state: state.value,
    column: column.value,
    text: text.value,
    code: why.value,
    decision: decided.value,
    change: change.value,
    reason: "",
    moved: moved.value,
    order: order.value,
  }));
  const filtered = computed(() =>
    [state, column, text, why, decided, change, moved].some((filter) => filter.value !== ""),
  );
  const rowsWith = (code: string): number =>
    trip.value.reasons.filter((reason) => reason.code === code).reduce((sum, reason) => sum + reason.count, 0);
  const changes = computed<Option[]>(() => [
    { value: "", label: "any change" },
    ...trip.value.columns
      .filter((c) => c.changed && !c.is_key)
      .map((c) => ({ value: c.field ?? "", label: c.label ?? c.header, note: `${count(c.changed)} changed` })),
    ...trip.value.columns
      .filter((c) => c.emptied)
      .map((c) => ({
        value: `emptied:${c.field}`,
        label: c.label ?? c.header,
        note: `${count(c.emptied)} emptied`,
      })),
  ]);
  const reasons = computed<Option[]>(() => [
    { value: "", label: "any reason" },
    ...trip.value.reasons
      .filter((reason, at, all) => all.findIndex((one) => one.code === reason.code) === at)
      .map((reason) => ({ value: reason.code, label: reason.says, note: many(rowsWith(reason.code), "row", "rows") })),
    ...trip.value.said
      .filter((item) => item.code === "changed-elsewhere")
      .map((item) => ({ value: item.code, label: item.says, note: many(item.count, "row", "rows") })),
  ]);
  const orders = computed<Option[]>(() => [
    { value: "", label: "sheet's order" },
    ...trip.value.columns
      .filter((c) => c.field && matters(c))
      .flatMap((c) => [
        { value: c.field ?? "", label: c.label ?? c.header, note: "from the lowest" },
        { value: `-${c.field}`, label: c.label ?? c.header, note: "from the highest" },
      ]),
  ]);

  /** All rows but those of other states. */
  function clear(): void {
    typed.value = "";
    for (const filter of [column, text, why, decided, change, moved]) filter.value = "";
  }
  /** Only rows with a change of a field, from one value to another; an empty one shows all again. */
  function changing(field: string, wanted: string): void {
    column.value = wanted ? field : "";
    change.value = wanted;
  }

  return {
    column,
    order,
    why,
    decided,
    change,
    moved,
    typed,
    shown,
    filtered,
    changes,
    reasons,
    orders,
    clear,
    changing,
  };
}
