/** What a pass does where rows are refused. */
import { many } from "@/parts/format";

export interface Trouble {
  /** It carries on; it stops; it stops and takes back what it wrote; or none of it is written. */
  how: "on" | "stop" | "back" | "none";
  /** After how many refusals it stops, as it was typed. */
  after: string;
}

export interface Rule {
  stop_after?: number | null;
  take_back?: boolean;
}

/** What is chosen at first: as the trip's last pass did, or as its route says. */
export const troubleOf = (rule: Rule): Trouble => ({
  how: rule.stop_after == null ? "on" : rule.take_back ? "back" : "stop",
  after: String(rule.stop_after ?? 1),
});

/** The rule of a pass in a few words. */
export function ruleWords(rule: Rule & { atomic: boolean }): string {
  if (rule.atomic) return "all or nothing";
  if (rule.stop_after == null) return "carries on";
  return `stops after ${many(rule.stop_after, "refusal", "refusals")}${rule.take_back ? ", takes back" : ""}`;
}
export const stops = (trouble: Trouble): boolean => trouble.how === "stop" || trouble.how === "back";

/** After how many refusals it stops: null where it does not, nothing where that is no number. */
export function stopAfter(trouble: Trouble): number | null | undefined {
  if (!stops(trouble)) return null;
  return /^[1-9]\d{0,6}$/.test(trouble.after.trim()) ? Number(trouble.after) : undefined;
}
