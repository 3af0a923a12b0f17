/** The route that the address asks for: taken over once it is known, and missed aloud where it is not there. */
import { computed, ref, watch } from "vue";
import { useRoute } from "vue-router";

import type { Document, Route } from "@/api/client";
import { useRoutes } from "@/api/queries";

export function useAskedRoute(take: (document: Document, application: string) => void) {
  const address = useRoute();
  const { data: routes, isPending } = useRoutes();
  const route = ref<Route>();
  const asked = computed(() => String(address.query.route ?? ""));
  const there = computed(() => routes.value?.find((one) => String(one.id) === asked.value));
  watch(
    there,
    (found) => {
      if (!found?.document || route.value?.id === found.id) return;
      route.value = found;
      take(found.document, found.application);
    },
    { immediate: true },
  );
  /** It is not known yet: what was typed meanwhile would give way to it. */
  const waits = computed(() => !!asked.value && isPending.value);
  const missed = computed(() => {
    if (!asked.value || isPending.value || there.value?.document) return "";
    const why = there.value
      ? `The route ${there.value.name} does not say what goes out, or no longer fits the application`
      : routes.value
        ? "The route that was asked for is not there any more"
        : "The route that was asked for cannot be read";
    return `${why}. What is here is not of it.`;
  });
  return { route, waits, missed };
}
