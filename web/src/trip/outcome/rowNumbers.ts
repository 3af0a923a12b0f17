/** Rows as people list them: numbers and ranges. */

const MOST = 1_100_000;

/** The rows of such a list as "3, 5-9"; none for an empty one, and nothing where it is no such list. */
export function rowNumbers(text: string): number[] | undefined {
  const rows = new Set<number>();
  for (const part of text.split(",").map((one) => one.trim())) {
    if (!part) continue;
    const found = /^(\d{1,7})(?:\s*-\s*(\d{1,7}))?$/.exec(part);
    if (!found) return undefined;
    const [first, last] = [Number(found[1]), Number(found[2] ?? found[1])];
    if (first < 1 || last < first || last - first > MOST) return undefined;
    for (let row = first; row <= last; row++) rows.add(row);
  }
  return [...rows];
}
