/** Short messages at the foot of the page: what happened, and what to do. */
import { reactive } from "vue";

export interface Notice {
  id: number;
  text: string;
  bad: boolean;
}

export const notices = reactive<Notice[]>([]);
let next = 1;

export function say(text: string, bad = false): void {
  const notice = { id: next++, text, bad };
  notices.push(notice);
  if (!bad)
    setTimeout(() => {
      dismiss(notice.id);
    }, 6000);
}

export function dismiss(id: number): void {
  const at = notices.findIndex((notice) => notice.id === id);
  if (at >= 0) notices.splice(at, 1);
}

export function sayError(error: unknown): void {
  say(error instanceof Error ? error.message : String(error), true);
}
