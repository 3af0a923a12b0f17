/** Verdicts and outcomes: sign and word. Their colours are in the style sheet, by the same names. */
export const SIGNS: Record<string, string> = {
  create: "+",
  created: "+",
  update: "△",
  updated: "△",
  same: "=",
  delete: "−",
  deleted: "−",
  held: "?",
  unclear: "≈",
  rejected: "×",
  refused: "×",
  aside: "‖",
  waiting: "○",
};

/** Rows of an outcome that a person may still bring in. */
export const NOT_IN = ["refused", "unclear", "rejected", "held", "waiting"];

export const WORDS: Record<string, string> = { aside: "set aside", waiting: "not sent" };

export const word = (verdict: string): string => WORDS[verdict] ?? verdict;

const SENTENCES: Record<string, string> = {
  create: "is a new record",
  update: "changes its record",
  same: "has nothing to write",
  delete: "deletes its record",
  held: "is held",
  rejected: "is rejected",
  aside: "is set aside",
  created: "was created",
  updated: "was updated",
  deleted: "was deleted",
  refused: "was refused",
  unclear: "is unclear",
  waiting: "was not sent",
};

/** What becomes, or became, of a row, as the end of a sentence. */
export const sentence = (verdict: string): string => SENTENCES[verdict] ?? word(verdict);

const ORDER = Object.keys(SIGNS);

/** The terms of a sum that are not zero, in their order. */
export function terms(sum: Record<string, number>): { verdict: string; count: number }[] {
  return ORDER.filter((verdict) => (sum[verdict] ?? 0) > 0).map((verdict) => ({ verdict, count: sum[verdict] ?? 0 }));
}
