/** The words at the right of the foot line. */
import { onBeforeUnmount, ref, watchEffect } from "vue";

export const footNote = ref("");

export function useFootNote(text: () => string): void {
  const stop = watchEffect(() => {
    footNote.value = text();
  });
  onBeforeUnmount(() => {
    stop();
    footNote.value = "";
  });
}
