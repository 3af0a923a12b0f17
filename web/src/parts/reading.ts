/** How numbers, days and times are written for whoever reads, and in which time zone: theirs to set at Your access. */
import { computed, shallowRef } from "vue";

export interface Reading {
  /** A BCP 47 tag. */
  locale: string;
  /** Of the IANA database; empty for the browser's. */
  zone: string;
}

const USUAL: Reading = { locale: "en-GB", zone: "" };
const reading = shallowRef<Reading>(USUAL);

/** The zone of this browser, which the server is told with each request. */
export const browserZone = Intl.DateTimeFormat().resolvedOptions().timeZone || "UTC";

/** Everything is written so from now on; as usual for nobody. */
export function readAs(next: Reading | null | undefined): void {
  const { locale, zone } = next ?? USUAL;
  if (locale !== reading.value.locale || zone !== reading.value.zone) reading.value = { locale, zone };
}

export const locale = computed(() => reading.value.locale);
/** The zone in which times are read and said. */
export const zone = computed(() => reading.value.zone || browserZone);

export interface Separators {
  group: string;
  decimal: string;
}

export function separatorsOf(tag: string): Separators {
  const parts = new Intl.NumberFormat(tag, { useGrouping: true }).formatToParts(1234567.8);
  const kind = (type: string): string => parts.find((part) => part.type === type)?.value ?? "";
  return { group: kind("group"), decimal: kind("decimal") };
}

export const separators = computed(() => separatorsOf(locale.value));

export interface Wall {
  year: number;
  month: number;
  day: number;
  hour: number;
  minute: number;
}

const clocks = new Map<string, Intl.DateTimeFormat>();

/** What calendar and clock on a wall of that zone say. */
export function wallOf(moment: Date, at: string): Wall {
  const clock =
    clocks.get(at) ??
    new Intl.DateTimeFormat("en-GB", { timeZone: at, dateStyle: "short", timeStyle: "short", calendar: "gregory" });
  clocks.set(at, clock);
  const parts = new Map(clock.formatToParts(moment).map((part) => [part.type, Number(part.value)]));
  const of = (type: Intl.DateTimeFormatPartTypes): number => parts.get(type) ?? 0;
  return { year: of("year"), month: of("month"), day: of("day"), hour: of("hour"), minute: of("minute") };
}

const asUtc = (wall: Wall): number => Date.UTC(wall.year, wall.month - 1, wall.day, wall.hour, wall.minute);

/** The moment at which the wall of a zone says that; the later one where the clock is put back, and one as far behind as
 * it is put on where it is put on and never says that. */
export function momentAt(wall: Wall, at: string): Date {
  const wanted = asUtc(wall);
  let guess = wanted;
  for (let turn = 0; turn < 2; turn += 1) guess += wanted - asUtc(wallOf(new Date(guess), at));
  return new Date(guess);
}

/** Days since 1970 by the calendar of a zone. */
export const dayNumber = (moment: Date, at: string): number => {
  const { year, month, day } = wallOf(moment, at);
  return Date.UTC(year, month - 1, day) / 86_400_000;
};
