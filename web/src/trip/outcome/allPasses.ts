/** What reading back found after all passes together. */
import type { Schemas } from "@/api/client";
import { count } from "@/parts/format";

type Report = Schemas["Report"];
type Counts = NonNullable<Report["type"]>;

export interface ReadBack {
  records: number;
  as_sent: number;
  deleted: number;
  gone: number;
  /** Records of the type, and of the trip's selection: before the first pass, and after the last. */
  type: Counts | null;
  selection: Counts | null;
}

const sum = (numbers: (number | undefined)[]): number => numbers.reduce<number>((all, one) => all + (one ?? 0), 0);

/** Before the first, after the last, and what all of them did; what is left over is others' doing. */
function counted(all: Counts[]): Counts | null {
  const first = all[0];
  const last = all.at(-1);
  if (!first || !last) return null;
  const [created, deleted, moved] = (["created", "deleted", "moved"] as const).map((name) =>
    sum(all.map((one) => one[name])),
  ) as [number, number, number];
  const others = last.after - (first.before + created - deleted + moved);
  const totals = Object.fromEntries(
    Object.entries(last.totals).map(([name, now]) => [
      name,
      { before: first.totals[name]?.before ?? now.before, after: now.after },
    ]),
  );
  return { before: first.before, after: last.after, created, deleted, moved, others, totals };
}

export function allPasses(passes: readonly { report: Report | null }[]): ReadBack | undefined {
  const reports = passes.map((one) => one.report).filter((one): one is Report => !!one);
  if (!reports.length) return undefined;
  const given = (name: "type" | "selection"): Counts[] =>
    reports.map((one) => one[name]).filter((one): one is Counts => !!one);
  return {
    records: sum(reports.map((one) => one.records)),
    as_sent: sum(reports.map((one) => one.as_sent)),
    deleted: sum(reports.map((one) => one.deleted)),
    gone: sum(reports.map((one) => one.gone)),
    type: counted(given("type")),
    selection: counted(given("selection")),
  };
}

/** What was read back, in words: records that are there, and records that are gone, where there are such. */
export function readBackWords(all: ReadBack): string {
  const parts = [
    all.records && `${count(all.as_sent)} of ${count(all.records)} as sent`,
    all.deleted && `${count(all.gone)} of ${count(all.deleted)} gone`,
  ].filter(Boolean);
  return parts.length ? `Read back ${parts.join(", ")}` : "Nothing was written, so nothing is read back";
}
