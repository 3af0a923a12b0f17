/** A made-up trip at Review, for tests. */
import type { Cell, Column, Field, Row, TripDetail } from "@/api/client";

import { PLAIN } from "./columns/lanes";
import type { Answer } from "./rows/deciding";

export const column = (values: Partial<Column>): Column => ({
  column: "c0",
  header: "Berth no.",
  field: "berth_no",
  label: "Berth no.",
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
  emptied_answers: [],
  filled_before: 0,
  lane: { ...PLAIN, says: "Take it.", short: "" },
  check: false,
  open: false,
  conflict: false,
  extra: false,
  questions: [],
  example: "",
  agrees: null,
  two_way: false,
  name_in_conditions: "",
  totals: null,
  before: null,
  after: null,
  difference: null,
  ...values,
});

const rate = {
  column: "c1",
  header: "Daily rate",
  field: "daily_rate",
  label: "Daily rate",
  kind: "decimal" as const,
};

export const cell = (values: Partial<Cell>): Cell => ({
  text: null,
  action: null,
  current: null,
  proposed: null,
  sent: null,
  seen_later: false,
  edited: false,
  file_text: null,
  edited_since: false,
  text_now: null,
  ...values,
});

const FILE_OR_APPLICATION: Answer[] = [
  { answer: "file", says: "Use the file", needs_record: false, argument: "" },
  { answer: "application", says: "Keep application", needs_record: false, argument: "" },
];
const ASIDE: Answer = { answer: "aside", says: "Set aside", needs_record: false, argument: "" };

export const pass = (): TripDetail["passes"][number] => ({
  number: 1,
  plan: 5,
  state: "ended",
  rows: 1,
  totals: null,
  report: null,
  reason: "",
  atomic: false,
  by: { username: "ada", name: "Ada Quillfeather" },
  started_at: "2026-11-16T09:12:00Z",
  ended_at: null,
  absent: null,
});

export const trip = (values: Partial<TripDetail> = {}): TripDetail => ({
  id: 7,
  title: "Winter tariff",
  application: { name: "harbour-live", label: "Saltmarsh Harbour Register", stage: "live", may_apply: true },
  record_type: "Berth",
  plural: "Berths",
  condition: "",
  operation: "update",
  key: ["berth_no"],
  ignores: [],
  reach: "",
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
    keys_not_read: 0,
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
  edits: 0,
  damage: [],
  expected: [],
  row_filter: { condition: "", left_out: 0 },
  planned_totals: {},
  part: 1,
  parts: [],
  went_out: null,
  examples: {},
  on_route: null,
  open: [],
  absent: null,
  pointed: {},
  pointed_renames: {},
  reasons: [
    {
      state: "held",
      code: "both-changed",
      field: "daily_rate",
      says: "Also changed.",
      count: 2,
      first: 19,
      answers: [...FILE_OR_APPLICATION, ASIDE],
    },
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
  refused_with: null,
  left_out: false,
  identifier: "700113",
  faults: [{ code: "both-changed", field: "daily_rate", says: "Also changed.", answers: FILE_OR_APPLICATION }],
  answers: [ASIDE],
  warnings: [],
  pointed: [],
  cells: [
    cell({ text: "B-015" }),
    cell({ text: "40.50", action: "held", current: "41.00", proposed: "40.50", sent: "38.50" }),
  ],
};

export const badRow: Row = {
  ...heldRow,
  row: 25,
  row_id: 23,
  state: "rejected",
  reason: "Daily rate is not a number.",
  faults: [
    {
      code: "not-a-number",
      field: "daily_rate",
      says: "Daily rate is not a number.",
      answers: [
        { answer: "leave out", says: "Leave this cell out, carry the rest", needs_record: false, argument: "" },
      ],
    },
  ],
  cells: [
    cell({ text: "B-021" }),
    cell({ text: "4O.50", action: "unreadable", current: "38.50", proposed: null, sent: "38.50" }),
  ],
};

export const field = (values: Partial<Field>): Field => ({
  name: "notes",
  label: "Notes",
  kind: "text",
  help: "",
  required: false,
  read_only: false,
  is_key: false,
  has_default: false,
  create_only: false,
  target: null,
  choices: [],
  unique: false,
  only_for: "",
  instead_of: [],
  comparisons: [],
  ...values,
});
