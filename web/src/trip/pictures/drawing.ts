/** A field's picture as a chart: before in stone, after in violet, what lies far out in magenta. */
import type * as PlotModule from "@observablehq/plot";

import type { Schemas } from "@/api/client";
import { count } from "@/parts/format";

export type Picture = Schemas["Picture"];
type Plot = typeof PlotModule;

const STONE = "var(--color-rule-strong)";
const VIOLET = "var(--color-update)";
const MAGENTA = "var(--color-reject)";
const WIDTH = 284;
const COMMON = {
  width: WIDTH,
  style: { fontFamily: "var(--font-sans)", fontSize: "11px", color: "var(--color-ink-soft)", background: "none" },
};
const LONGEST = 14;
const short = (text: string): string => (text.length > LONGEST ? `${text.slice(0, LONGEST - 1)}…` : text);

interface Edge {
  at: number;
  count: number;
}

/** After as a line in steps: over each bar its height. */
const steps = (bars: Picture["bars"]): Edge[] =>
  bars.flatMap((bar, at) => [
    { at, count: bar.after },
    { at: at + 1, count: bar.after },
  ]);

/** The edges that are named below: few enough to be read. */
export function ticks(bars: Picture["bars"]): Map<number, string> {
  const named = new Map<number, string>();
  const usual = bars.flatMap((bar, at) => (bar.far ? [] : [at]));
  const [first] = usual;
  const last = usual.at(-1);
  if (first == null || last == null) return named;
  const every = Math.max(1, Math.ceil(usual.length / 4));
  for (let at = first; at <= last; at += every) named.set(at, bars[at]?.low ?? "");
  return named;
}

function distribution(plot: Plot, bars: Picture["bars"]): Element {
  const named = ticks(bars);
  const placed = bars.map((bar, at) => ({ ...bar, at }));
  return plot.plot({
    ...COMMON,
    height: 104,
    marginLeft: 34,
    marginRight: 8,
    marginTop: 8,
    marginBottom: 20,
    x: {
      domain: [0, bars.length],
      ticks: [...named.keys()],
      tickFormat: (at: number) => named.get(at) ?? "",
      label: null,
    },
    y: { ticks: 2, label: null, tickFormat: (n: number) => (Number.isInteger(n) ? count(n) : "") },
    marks: [
      plot.rectY(placed, {
        x1: "at",
        x2: (bar: { at: number }) => bar.at + 1,
        y: "before",
        fill: (bar: { far: boolean }) => (bar.far ? MAGENTA : STONE),
        fillOpacity: (bar: { far: boolean }) => (bar.far ? 0.35 : 1),
        inset: 0.5,
      }),
      plot.lineY(steps(bars), { x: "at", y: "count", stroke: VIOLET, strokeWidth: 2 }),
      plot.text(
        placed.filter((bar) => bar.far && bar.after > 0),
        {
          x: (bar: { at: number }) => bar.at + 0.5,
          y: "after",
          text: (bar: { after: number }) => `${count(bar.after)} far out`,
          fill: MAGENTA,
          fontWeight: "bold",
          dy: -6,
          textAnchor: bars[0]?.far && bars.length < 3 ? "start" : "end",
        },
      ),
      plot.ruleY([0], { stroke: STONE }),
    ],
  });
}

function values(plot: Plot, bars: Picture["values"]): Element {
  const named = bars.map((bar, at) => ({ ...bar, name: `${at}` }));
  const label = (at: string): string => short(bars[Number(at)]?.value ?? "") || "empty";
  return plot.plot({
    ...COMMON,
    height: 14 + bars.length * 20,
    marginLeft: 92,
    marginRight: 40,
    marginTop: 2,
    marginBottom: 10,
    x: { axis: null },
    y: { domain: named.map((bar) => bar.name), label: null, tickFormat: label, tickSize: 0 },
    marks: [
      plot.barX(named, { x: "before", y: "name", fill: STONE, insetBottom: 9, insetTop: 1 }),
      plot.barX(named, { x: "after", y: "name", fill: VIOLET, insetTop: 9, insetBottom: 1 }),
      plot.text(named, {
        x: (bar: { before: number; after: number }) => Math.max(bar.before, bar.after),
        y: "name",
        text: (bar: { after: number }) => count(bar.after),
        textAnchor: "start",
        dx: 4,
      }),
    ],
  });
}

/** The chart of a picture; nothing where a field has no values. What it shows is said in words where it stands. */
export function draw(plot: Plot, picture: Picture): Element | null {
  if (!picture.bars.length && !picture.values.length) return null;
  const chart = picture.bars.length ? distribution(plot, picture.bars) : values(plot, picture.values);
  for (const part of chart.querySelectorAll("[aria-label]")) part.removeAttribute("aria-label");
  return chart;
}

/** What the chart shows, in words: for who does not see it. */
export function described(picture: Picture, label: string, words = { before: "now", after: "after" }): string {
  const { before, after } = picture;
  const ends = (one: Picture["before"]): string =>
    one.least == null ? "" : `, from ${one.least} to ${one.greatest ?? ""}`;
  const far = picture.bars.filter((bar) => bar.far).reduce((sum, bar) => sum + bar.after, 0);
  const said =
    `${label}: ${count(before.filled)} values ${words.before}${ends(before)}; ` +
    `${count(after.filled)} ${words.after}${ends(after)}.`;
  return far ? `${said} ${count(far)} lie far out.` : said;
}
