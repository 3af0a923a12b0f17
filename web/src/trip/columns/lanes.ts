/** A lane while it is worked on: as data, the parts of its sentence, and whether it says something. */
import type { Schemas } from "@/api/client";

/** A lane with all that it may say. */
export type Lane = Required<Schemas["Lane"]>;
export type Treatment = Schemas["Treatment"];
export type Argument = Schemas["Argument"];
export type Question = Schemas["Question"];
export type Answer = Schemas["Answer"];
/** A treatment that is done: its name, and its arguments. */
export type Done = Record<string, unknown> & { do: string };

export const PLAIN: Lane = {
  from: "",
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

/** A lane without the words that are told of it. */
export function bareLane(told: Schemas["Lane"] | null | undefined): Lane {
  const made = { ...PLAIN };
  for (const name of Object.keys(PLAIN) as (keyof Lane)[]) {
    const value = told?.[name];
    if (value !== undefined) Object.assign(made, { [name]: value });
  }
  return JSON.parse(JSON.stringify(made)) as Lane;
}

export const same = (one: Lane, other: Lane): boolean =>
  JSON.stringify(bareLane(one)) === JSON.stringify(bareLane(other));

/** A treatment as it begins. */
export function begun(kind: Treatment): Done {
  const made: Done = { do: kind.do };
  for (const argument of kind.arguments) made[argument.name] = argument.initial_value;
  return made;
}

/** What still has to be said before a treatment can be done. */
export function lacks(kind: Treatment | undefined, done: Done): boolean {
  return !!kind?.arguments.some((argument) => {
    const value = done[argument.name];
    if (argument.kind === "texts" || argument.kind === "columns") return !(value as unknown[]).length;
    if (argument.kind === "pairs")
      return !(value as unknown[]).length && done.others !== "blank" && done.others !== "reject";
    if (argument.kind === "table" || argument.kind === "name") return !value;
    if (argument.name === "put" || argument.name === "between") return false;
    return value === "" && argument.kind !== "one-of";
  });
}

export interface Piece {
  text?: string;
  argument?: Argument;
}

/** The pieces of a treatment's phrase: words, and parts that can be changed. */
export function pieces(kind: Treatment): Piece[] {
  const made: Piece[] = [];
  for (const [at, text] of kind.says.split(/\{(\w+)\}/).entries()) {
    if (at % 2) {
      const argument = kind.arguments.find((one) => one.name === text);
      if (argument) made.push({ argument });
    } else if (text) made.push({ text });
  }
  return made;
}

/** Changes of several answers as one: lanes of the same field are those of the last. */
export function together(answers: readonly Answer[]): { said: Record<string, string>; lanes: Record<string, Lane> } {
  const said: Record<string, string> = {};
  const lanes: Record<string, Lane> = {};
  for (const answer of answers) {
    Object.assign(said, answer.said);
    for (const [name, lane] of Object.entries(answer.lanes)) lanes[name] = bareLane(lane as unknown as Lane);
  }
  return { said, lanes };
}
