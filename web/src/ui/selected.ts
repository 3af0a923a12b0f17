/** Which row and column are selected, and what is filtered: in the address, so that they are still so on return. */
import { useDebounceFn } from "@vueuse/core";
import { computed, onScopeDispose, ref, watch, type WritableComputedRef } from "vue";
import { useRoute } from "vue-router";

import { useInAddress } from "./address";

const PAUSE = 250;

const whole = (text: string, otherwise: number): number => (/^\d{1,9}$/.test(text) ? Number(text) : otherwise);

/** A number of the address that changes often: written there once it rests. */
function useResting(name: string, usual: number) {
  const kept = useInAddress(name);
  const now = ref(whole(kept.value, usual));
  let [own, gone] = [kept.value, false];
  onScopeDispose(() => (gone = true));
  const write = useDebounceFn((value: number) => {
    if (gone) return;
    own = value === usual ? "" : String(value);
    kept.value = own;
  }, PAUSE);
  watch(now, (value) => void write(value));
  watch(kept, (text) => {
    if (text !== own) now.value = whole(text, usual);
    own = text;
  });
  return now;
}

export interface Selected {
  row: ReturnType<typeof useResting>;
  column: ReturnType<typeof useResting>;
  unfolded: WritableComputedRef<boolean>;
}

export function useSelected(): Selected {
  const columns = useInAddress("columns");
  return {
    row: useResting("row", 0),
    column: useResting("cell", -1),
    unfolded: computed({
      get: () => columns.value === "all",
      set: (all) => {
        columns.value = all ? "all" : "";
      },
    }),
  };
}

/** A text that is typed: taken once it rests. */
export function useTyped(name: string) {
  const kept = useInAddress(name);
  const route = useRoute();
  const typed = ref(kept.value);
  let gone = false;
  onScopeDispose(() => (gone = true));
  const take = useDebounceFn(() => {
    if (!gone) kept.value = typed.value;
  }, PAUSE);
  watch(typed, () => void take());
  watch(
    () => route.query[name],
    () => {
      if (kept.value !== typed.value) typed.value = kept.value;
    },
  );
  return { typed, kept };
}
