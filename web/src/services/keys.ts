/** Keys of the page: what is open says its keys, the foot line and the page of all keys show them. */
import { onBeforeUnmount, onMounted, reactive } from "vue";

export interface Key {
  /** As it is shown, such as "O", "Ctrl K", "J". */
  key: string;
  says: string;
  run: (event: KeyboardEvent) => void;
  /** Left out of the foot line. */
  quiet?: boolean;
}

export const registered = reactive<{ group: string; keys: Key[] }[]>([]);

/** Keys that work while the component that says them is there. */
export function useKeys(group: string, keys: Key[]): void {
  const entry = { group, keys };
  onMounted(() => registered.push(entry));
  onBeforeUnmount(() => {
    const at = registered.findIndex((other) => other.keys === entry.keys || other.group === group);
    if (at >= 0) registered.splice(at, 1);
  });
}

function name(event: KeyboardEvent): string {
  const key = event.key.length === 1 ? event.key.toUpperCase() : event.key;
  return (event.ctrlKey || event.metaKey ? "Ctrl " : "") + (event.altKey ? "Alt " : "") + key;
}

/** Letters go to what is written in, and to a list that is searched by its first letters. */
export const typing = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement &&
  (target.isContentEditable ||
    /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName) ||
    !!target.closest("[role=listbox], [role=menu]"));

/** The one listener of the page. */
export function onKey(event: KeyboardEvent): void {
  const pressed = name(event);
  if (event.defaultPrevented || document.querySelector('[role="dialog"]')) return;
  if (typing(event.target) && !pressed.startsWith("Ctrl ")) return;
  const onControl = event.target instanceof HTMLElement && /^(BUTTON|A|SUMMARY)$/.test(event.target.tagName);
  if (onControl && (event.key === "Enter" || event.key === " ")) return;
  for (const { keys } of [...registered].reverse()) {
    const found = keys.find((key) => key.key === pressed);
    if (found) {
      event.preventDefault();
      found.run(event);
      return;
    }
  }
}
