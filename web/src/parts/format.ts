/** Numbers and times for people, in their own zone. */
const counts = new Intl.NumberFormat("en-GB");

export const count = (value: number | null | undefined): string => counts.format(value ?? 0);

/** A decimal text with thousands separators, every digit kept. */
export function exact(text: string | null | undefined): string {
  if (!text) return "0";
  const [whole = "", rest] = text.replace("-", "").split(".");
  const grouped = whole.replace(/\B(?=(\d{3})+(?!\d))/g, ",");
  return (text.startsWith("-") ? "−" : "") + grouped + (rest ? `.${rest}` : "");
}

/** Bytes as people read them: "12.3 MB". */
export function room(bytes: number): string {
  const units = ["bytes", "KB", "MB", "GB", "TB"];
  let at = 0;
  while (bytes >= 1000 && at < units.length - 1) {
    bytes /= 1000;
    at += 1;
  }
  return `${at ? bytes.toFixed(1) : String(bytes)} ${units[at] ?? ""}`;
}

export const many = (value: number, one: string, more: string): string => `${count(value)} ${value === 1 ? one : more}`;

/** "09:12" today, "yesterday", or "12 Nov". */
export function when(text: string): string {
  const then = new Date(text);
  const days = Math.round((startOfDay(new Date()) - startOfDay(then)) / 86_400_000);
  if (days === 0) return then.toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });
  if (days === 1) return "yesterday";
  const year = then.getFullYear() === new Date().getFullYear() ? undefined : "numeric";
  return then.toLocaleDateString("en-GB", { day: "numeric", month: "short", year });
}

export const fullTime = (text: string): string =>
  new Date(text).toLocaleString("en-GB", { dateStyle: "medium", timeStyle: "medium" });

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
  const days = Math.round((startOfDay(then) - startOfDay(new Date())) / 86_400_000);
  const time = then.toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });
  const near = { "-1": "yesterday ", "0": "", "1": "tomorrow " }[String(days)];
  const day = near ?? `on ${then.toLocaleDateString("en-GB", { day: "numeric", month: "short" })} `;
  return `${day}at ${time}`;
}

const startOfDay = (date: Date): number => new Date(date.getFullYear(), date.getMonth(), date.getDate()).getTime();
