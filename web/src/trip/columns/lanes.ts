/** A lane while it is worked on: as data, the parts of its sentence, and whether it says something. */
import type { Schemas } from "@/api/client";

/** A lane with all that it may say. */
export type Lane = Required<Schemas["Lane"]>;
/** A treatment of a lane, as data. */
export type Treatment = Schemas["Treatment"];
/** A treatment that there is, with its phrase. */
export type OfferedTreatment = Schemas["OfferedTreatment"];
export type Argument = Schemas["Argument"];
export type Question = Schemas["Question"];
export type Option = Schemas["Option"];

/** A change of columns and their lanes: header → field, and field → lane. */
export interface ColumnChange {
  columns: Record<string, string>;
  lanes: Record<string, Lane>;
  /** The trip goes on without the columns of its route that the sheet lacks. */
  without?: boolean;
  /** Marks such as [clear] count in the sheet. */
  marks?: boolean;
}

export const PLAIN: Lane = {
  source: "",
  fixed: "",
  treatments: [],
  blank: "leave",
  default: "",
  updates: false,
  only_empty: false,
  adds: false,
  separator: ";",
  check: false,
  settled: [],
};

/** A lane without the words that go with it. */
export function bareLane(lane: Partial<Lane> | null | undefined): Lane {
  const {
    source = PLAIN.source,
    fixed = PLAIN.fixed,
    treatments = [],
    blank = PLAIN.blank,
    default: byDefault = PLAIN.default,
    updates = PLAIN.updates,
    only_empty = PLAIN.only_empty,
    adds = PLAIN.adds,
    separator = PLAIN.separator,
    check = PLAIN.check,
    settled = [],
  } = lane ?? {};
  const flags = { updates, only_empty, adds, check };
  return {
    source,
    fixed,
    treatments: [...treatments],
    blank,
    default: byDefault,
    separator,
    settled: [...settled],
    ...flags,
  };
}

export const same = (one: Lane, other: Lane): boolean =>
  JSON.stringify(bareLane(one)) === JSON.stringify(bareLane(other));

/** What a treatment says for one of its arguments. */
export const argumentOf = (treatment: Treatment, name: string): unknown =>
  Object.entries(treatment).find(([own]) => own === name)?.[1];

const EMPTY_IS_MEANT = ["put", "between"];
/** What becomes of values that are in no pair, where it needs no pair to be said. */
const NEEDS_NO_PAIR = ["blank", "reject"];

/** What still has to be said before a treatment can be done. */
export function lacks(kind: OfferedTreatment | undefined, treatment: Treatment): boolean {
  return !!kind?.arguments.some((argument) => {
    const value = argumentOf(treatment, argument.name);
    const nothing = Array.isArray(value) ? !value.length : value === "" || value == null;
    if (argument.kind === "pairs") return nothing && !NEEDS_NO_PAIR.includes(String(argumentOf(treatment, "others")));
    if (argument.kind === "one-of" || EMPTY_IS_MEANT.includes(argument.name)) return false;
    return nothing;
  });
}

export interface Piece {
  text?: string;
  argument?: Argument;
}

/** The pieces of a treatment's phrase: words, and parts that can be changed. */
export function pieces(kind: OfferedTreatment): Piece[] {
  return kind.says.split(/\{(\w+)\}/).flatMap((text, at): Piece[] => {
    if (at % 2 === 0) return text ? [{ text }] : [];
    const argument = kind.arguments.find((own) => own.name === text);
    return argument ? [{ argument }] : [];
  });
}

/** Changes of several answers as one: lanes of the same field are those of the last. */
export function together(answers: readonly Option[]): ColumnChange {
  const change: ColumnChange = {
    columns: {},
    lanes: {},
    without: answers.some((answer) => answer.without),
    marks: answers.some((answer) => answer.marks),
  };
  for (const answer of answers) {
    Object.assign(change.columns, answer.columns);
    for (const [name, lane] of Object.entries(answer.lanes)) change.lanes[name] = bareLane(lane);
  }
  return change;
}
