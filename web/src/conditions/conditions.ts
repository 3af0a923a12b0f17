/** A condition as the parts of a sentence. */
import type { Field } from "@/api/client";

export interface Clause {
  field: string;
  does: string;
  values: string[];
}
export interface Group {
  is: "all" | "any" | "none";
  parts: Part[];
}
/** What no clause says: the condition's own text. */
export interface Plain {
  text: string;
}
export type Part = Clause | Group | Plain;

export const isGroup = (part: Part): part is Group => "is" in part;
export const isClause = (part: Part): part is Clause => "does" in part;

export const SAYS: Record<string, string> = {
  is: "is",
  "is-not": "is not",
  "one-of": "is one of",
  "none-of": "is none of",
  contains: "contains",
  "contains-not": "does not contain",
  begins: "begins with",
  "begins-not": "does not begin with",
  ends: "ends with",
  "ends-not": "does not end with",
  like: "looks like (* and ?)",
  "like-not": "does not look like",
  more: "is more than",
  less: "is less than",
  "at-least": "is at least",
  "at-most": "is at most",
  after: "is after",
  before: "is before",
  from: "is from",
  until: "is until",
  between: "is between",
  "last-days": "is in the last",
  "next-days": "is in the next",
  empty: "is empty",
  filled: "is filled",
  yes: "is yes",
  no: "is no",
  has: "has",
  "has-not": "has not",
  below: "is anywhere below",
  "below-not": "is nowhere below",
};
const NONE = new Set(["empty", "filled", "yes", "no"]);
const MANY = new Set(["one-of", "none-of"]);

export const takesNone = (does: string): boolean => NONE.has(does);
export const takesMany = (does: string): boolean => MANY.has(does);

/** What is asked of a field first. */
export const usual = (field: Field | undefined): string => {
  const all = field?.comparisons ?? ["is"];
  if (all.includes("one-of") && !all.includes("contains")) return "one-of";
  return all[0] ?? "is";
};

export function whole(part: Part): boolean {
  if (isGroup(part)) return part.parts.some(whole);
  if (!isClause(part)) return true;
  if (!part.field) return false;
  if (takesNone(part.does)) return true;
  const filled = part.values.filter((value) => value.trim());
  return filled.length >= (part.does === "between" ? 2 : 1);
}

/** The parts that say something: those still being made are left out. */
export function finished(part: Part): Part | null {
  if (!isGroup(part)) return whole(part) ? part : null;
  const parts = part.parts.map(finished).filter((one): one is Part => one !== null);
  return parts.length ? { is: part.is, parts } : null;
}

/** A condition as a group, so that it can be added to. */
export function asGroup(part: Part | null): Group {
  if (part && isGroup(part) && part.is !== "none") return { is: part.is, parts: [...part.parts] };
  return { is: "all", parts: part ? [part] : [] };
}

const object = (value: unknown): value is Record<string, unknown> => typeof value === "object" && value !== null;

/** Clauses as the server tells them. */
export function partOf(told: unknown): Part | null {
  if (!object(told)) return null;
  if (typeof told.text === "string") return { text: told.text };
  if (told.is === "all" || told.is === "any" || told.is === "none") {
    const parts = Array.isArray(told.parts) ? told.parts.map(partOf) : [];
    return { is: told.is, parts: parts.filter((one): one is Part => one !== null) };
  }
  if (typeof told.field !== "string" || typeof told.does !== "string") return null;
  return { field: told.field, does: told.does, values: Array.isArray(told.values) ? told.values.map(String) : [] };
}
