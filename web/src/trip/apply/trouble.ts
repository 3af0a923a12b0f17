/** What a pass does where rows are refused. */

export interface Trouble {
  /** It carries on; it stops; it stops and takes back what it wrote; or none of it is written. */
  how: "on" | "stop" | "back" | "none";
  /** After how many refusals it stops, as it was typed. */
  after: string;
}

export const carryOn = (): Trouble => ({ how: "on", after: "1" });
export const stops = (trouble: Trouble): boolean => trouble.how === "stop" || trouble.how === "back";

/** After how many refusals it stops: null where it does not, nothing where that is no number. */
export function stopAfter(trouble: Trouble): number | null | undefined {
  if (!stops(trouble)) return null;
  return /^[1-9]\d{0,6}$/.test(trouble.after.trim()) ? Number(trouble.after) : undefined;
}
