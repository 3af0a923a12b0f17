/** Where a list stands that opens below what it belongs to: in sight, and never cut off. */
import { autoUpdate, flip, offset, shift, type Middleware, useFloating } from "@floating-ui/vue";
import type { Ref, StyleValue } from "vue";

export function useDropdown(
  anchor: Ref<HTMLElement | undefined>,
  list: Ref<HTMLElement | undefined>,
  more: Middleware[] = [],
): Ref<StyleValue> {
  const { floatingStyles } = useFloating(anchor, list, {
    placement: "bottom-start",
    strategy: "fixed",
    whileElementsMounted: autoUpdate,
    middleware: [offset(4), flip({ padding: 8 }), shift({ padding: 8 }), ...more],
  });
  return floatingStyles;
}

/** The list of a field that is searched opens where it is pressed; going past it with the Tab key changes nothing. */
export function openWherePressed(event: MouseEvent): void {
  event.target?.dispatchEvent(new KeyboardEvent("keydown", { key: "ArrowDown", bubbles: true }));
}
