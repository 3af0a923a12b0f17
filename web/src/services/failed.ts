/** What of a page could not be read, and is not said in its own place. */
import { type Query, useQueryClient } from "@tanstack/vue-query";
import { computed, type ComputedRef, onScopeDispose, shallowRef } from "vue";

import { Problem } from "@/api/client";

/** Why a question failed, also while it is asked again because the machine may be well again soon. */
function errorOf({ status, error, fetchFailureReason }: Query["state"]): Error | null {
  if (status === "error") return error;
  return fetchFailureReason instanceof Problem && fetchFailureReason.code === "machine" ? fetchFailureReason : null;
}

/**
 * Whether a failed question is to be told here: not where whoever asked tells it (`meta.told`, of all errors or of one
 * status or code), and not where nobody is signed in any more, for which there is a page.
 */
function isUntold({ state, meta }: Query): boolean {
  const error = errorOf(state);
  if (!error) return false;
  const told = meta?.told;
  if (!(error instanceof Problem)) return told !== true;
  return error.status !== 401 && told !== true && told !== error.status && (!told || told !== error.code);
}

export function useFailed(): { says: ComputedRef<string>; again: () => void } {
  const client = useQueryClient();
  const queries = client.getQueryCache();
  const untold = (): Query[] => queries.findAll({ type: "active", predicate: isUntold });
  const failed = shallowRef(untold());
  onScopeDispose(
    queries.subscribe(() => {
      const now = untold();
      if (now.length || failed.value.length) failed.value = now;
    }),
  );
  return {
    says: computed(() => [...new Set(failed.value.map((query) => errorOf(query.state)?.message))].join(" ")),
    again: () => void client.refetchQueries({ type: "active", predicate: isUntold }),
  };
}
