/** Numbers and times for people, as they have set them; words stay English. */
import { dayNumber, locale, separators, wallOf, zone } from "./reading";

const whole = (digits: string): string => digits.replace(/\B(?=(\d{3})+(?!\d))/g, separators.value.group);

export const count = (value: number | null | undefined): string => exact(String(Math.round(value ?? 0)), "-");

/** A decimal text with thousands separators, every digit kept. */
export function exact(text: string | null | undefined, minus = "−"): string {
  if (!text) return "0";
  const [before = "", rest] = text.replace("-", "").split(".");
  return (text.startsWith("-") ? minus : "") + whole(before) + (rest ? separators.value.decimal + rest : "");
}

/** A number as its reader types it, for the server: "1.820,50" of a German is 1820.50. What is none is left as it is. */
export function asTyped(text: string): string {
  const { group, decimal } = separators.value;
  const sign = /^[-−]/.test(text.trim()) ? "-" : "";
  const digits = text
    .trim()
    .replace(/^[-−]/, "")
    .replace(/[\s\u202f]/g, group.trim() ? "" : group);
  const [before = "", rest, ...more] = digits.split(decimal);
  const groups = before.split(group);
  const grouped = groups.every((part, at) => (at ? /^\d{3}$/ : /^\d{1,3}$/).test(part));
  if (more.length || (rest !== undefined && !/^\d+$/.test(rest)) || !(grouped || /^\d+$/.test(before))) return text;
  return sign + groups.join("") + (rest === undefined ? "" : `.${rest}`);
}

/** Bytes as people read them: "12.3 MB". */
export function room(bytes: number): string {
  const units = ["bytes", "KB", "MB", "GB", "TB"];
  let at = 0;
  while (bytes >= 1000 && at < units.length - 1) {
    bytes /= 1000;
    at += 1;
  }
  return `${exact(at ? bytes.toFixed(1) : String(bytes))} ${units[at] ?? ""}`;
}

export const many = (value: number, one: string, more: string): string => `${count(value)} ${value === 1 ? one : more}`;

/** The time of a day: "09:12", or "9:12 AM". */
const clock = (then: Date, seconds = false): string =>
  then.toLocaleTimeString(locale.value, {
    hour: locale.value === "en-US" ? "numeric" : "2-digit",
    minute: "2-digit",
    second: seconds ? "2-digit" : undefined,
    timeZone: zone.value,
  });

/** A day, in figures where its name would be another language's: "12 Nov", "Nov 12", "12.11.", "12/11". */
export function shortDay(then: Date, year = false, at = zone.value): string {
  const figures = locale.value.startsWith("en") ? ({ day: "numeric", month: "short" } as const) : undefined;
  return then.toLocaleDateString(locale.value, {
    ...(figures ?? { day: "2-digit", month: "2-digit" }),
    year: year ? "numeric" : undefined,
    timeZone: at,
  });
}

const daysFromToday = (then: Date): number => dayNumber(then, zone.value) - dayNumber(new Date(), zone.value);

/** "09:12" today, "yesterday", or "12 Nov". */
export function when(text: string): string {
  const then = new Date(text);
  const days = daysFromToday(then);
  if (days === 0) return clock(then);
  if (days === -1) return "yesterday";
  return shortDay(then, wallOf(then, zone.value).year !== wallOf(new Date(), zone.value).year);
}

export const fullTime = (text: string): string => `${shortDay(new Date(text), true)}, ${clock(new Date(text), true)}`;

/** How long something took: "4 s", "12 min", "3 h 5 min". */
export function lasted(from: string, to: string): string {
  const seconds = Math.max(0, Math.round((new Date(to).getTime() - new Date(from).getTime()) / 1000));
  if (seconds < 60) return `${seconds} s`;
  const minutes = Math.round(seconds / 60);
  return minutes < 60 ? `${minutes} min` : `${Math.floor(minutes / 60)} h ${minutes % 60} min`;
}

/** A moment as people say it: "at 20:00" today, "tomorrow at 20:00", or "on 12 Nov at 20:00". */
export function moment(text: string): string {
  const then = new Date(text);
  const near = { "-1": "yesterday ", "0": "", "1": "tomorrow " }[String(daysFromToday(then))];
  return `${near ?? `on ${shortDay(then)} `}at ${clock(then)}`;
}
