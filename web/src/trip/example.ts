/** A made-up trip at Review, for tests. */
import type { Column, Row, TripDetail } from "@/api/client";

export const column = (values: Partial<Column>): Column => ({
  column: "c0",
  header: "Berth no.",
  field_name: "berth_no",
  field_label: "Berth no.",
  kind: "text",
  how: "label",
  carried: true,
  is_key: false,
  tells: false,
  filled: 3,
  different: 3,
  changed: 0,
  held: 0,
  unreadable: 0,
  emptied: 0,
  filled_before: 0,
  lane: { blank: "leave", default: "", updates: false, only_empty: false },
  two_way: false,
  before: null,
  after: null,
  difference: null,
  ...values,
});

const rate = {
  column: "c1",
  header: "Daily rate",
  field_name: "daily_rate",
  field_label: "Daily rate",
  kind: "decimal",
};

export const trip = (values: Partial<TripDetail> = {}): TripDetail => ({
  id: 7,
  title: "Winter tariff",
  application: { name: "harbour-live", label: "Saltmarsh Harbour Register", stage: "live", may_apply: true },
  record_type: "Berth",
  plural: "Berths",
  condition: "",
  operation: "update",
  key: ["berth_no"],
  version: 3,
  created_by: { username: "ada", name: "Ada Quillfeather" },
  created_at: "2026-11-16T09:12:00Z",
  touched_at: "2026-11-16T09:12:00Z",
  stations: [],
  here: "review",
  needs: { kind: "held", says: "2 rows wait for you" },
  asks: true,
  finished: false,
  sum: { create: 0, update: 1, same: 0, delete: 0, held: 1, rejected: 1, aside: 0 },
  rows: 3,
  sent_rows: 3,
  to_write: 1,
  job: null,
  plan: { number: 5, current: true, made_at: "2026-11-16T09:12:00Z" },
  sent_by: null,
  summary: {
    verdicts: { create: 0, update: 1, same: 0, delete: 0, held: 1, rejected: 1, aside: 0 },
    key: ["berth_no"],
  },
  columns: [
    column({ is_key: true }),
    column({ ...rate, changed: 1, held: 1, unreadable: 1, before: "38.50", after: "40.50", difference: "2.00" }),
  ],
  sheets: [],
  passes: [],
  outcomes: [],
  weak: false,
  most_atomic: 0,
  reasons: [
    { state: "held", code: "both-changed", field_name: "daily_rate", reason: "Also changed.", count: 2, first: 19 },
  ],
  trouble: "",
  ...values,
});

export const heldRow: Row = {
  row: 19,
  row_id: 17,
  state: "held",
  verdict: "held",
  reason: "Also changed.",
  field: "daily_rate",
  code: null,
  identifier: "700113",
  faults: [{ code: "both-changed", field_name: "daily_rate", says: "Also changed." }],
  warnings: [],
  cells: [{ text: "B-015" }, { text: "40.50", do: "held", old: "41.00", new: "40.50", kept: "38.50" }],
};

export const badRow: Row = {
  ...heldRow,
  row: 25,
  row_id: 23,
  state: "rejected",
  reason: "Daily rate is not a number.",
  faults: [{ code: "not-a-number", field_name: "daily_rate", says: "Daily rate is not a number." }],
  cells: [{ text: "B-021" }, { text: "4O.50", do: "bad", old: "38.50", new: null, kept: "38.50" }],
};
