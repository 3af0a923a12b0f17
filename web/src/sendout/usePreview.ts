import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import { refDebounced } from "@vueuse/core";
import { computed } from "vue";

import { api, data, Problem } from "@/api/client";

import { counting, type useSendOut } from "./document";

/** The first rows, counts and sums of what is said, asked for once nobody has changed it for a moment. */
export function usePreview({
  application,
  types,
  said,
  slip,
  asking,
}: Pick<ReturnType<typeof useSendOut>, "application" | "types" | "said" | "slip" | "asking">) {
  const now = computed(() => ({
    application: application.value,
    asked: {
      record_type: said.record_type,
      chosen: said.chosen,
      condition: counting(said).condition,
      order: said.order,
      picked: said.picked,
    },
  }));
  const settled = refDebounced(now, 350);
  const askable = computed(
    () =>
      !!settled.value.asked.record_type &&
      settled.value.asked.chosen.length > 0 &&
      settled.value.application === application.value &&
      !slip.value &&
      types.value.some((one) => one.name === settled.value.asked.record_type),
  );
  const preview = useQuery({
    queryKey: computed(() => ["preview", settled.value]),
    queryFn: () => {
      const params = { path: { name: settled.value.application } };
      return data(api.POST("/api/applications/{name}/preview", { params, body: settled.value.asked }));
    },
    enabled: askable,
    placeholderData: keepPreviousData,
    meta: { told: true },
  });
  const selection = useQuery({
    queryKey: computed(() => ["selection", settled.value]),
    queryFn: () => {
      const params = { path: { name: settled.value.application } };
      return data(api.POST("/api/applications/{name}/selection", { params, body: settled.value.asked }));
    },
    enabled: computed(() => askable.value && !said.headers_only),
    // What the application refuses is said of the preview.
    meta: { told: 422 },
  });
  /** What is shown is of what is said now, and not of what was said before. */
  const current = computed(
    () =>
      !asking.value && !preview.isPlaceholderData.value && JSON.stringify(settled.value) === JSON.stringify(now.value),
  );
  const trouble = computed(
    () => slip.value || (preview.error.value instanceof Problem ? preview.error.value.message : ""),
  );
  return { settled, preview, selection, current, trouble };
}
