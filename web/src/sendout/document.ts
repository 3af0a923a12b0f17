/** All that is said of what goes out, and its condition in both forms. */
import { computed, reactive, ref, toRef, watch } from "vue";

import type { Document, RecordType } from "@/api/client";
import { useApplications, useCatalogue } from "@/api/queries";

import { offered } from "@/conditions/fields";
import { useCondition } from "@/conditions/useCondition";

function empty(recordType = ""): Document & Required<Pick<Document, "chosen" | "order" | "condition">> {
  return {
    record_type: recordType,
    chosen: [],
    condition: "",
    order: [],
    picked: null,
    share: null,
    format: "xlsx",
    headers_only: false,
    help: false,
  };
}

/** What counts of a document: the page keeps a condition for whoever goes back to it. */
export function counting<Said extends Pick<Document, "condition" | "order" | "picked">>(
  said: Said & Pick<Document, "headers_only">,
): Said {
  if (said.headers_only) return { ...said, condition: "", order: [] };
  return said.picked ? { ...said, condition: "" } : { ...said };
}

function firstFields(type: RecordType): string[] {
  const first = [type.identifier, ...(type.keys[0] ?? [])];
  const taken = new Set(first);
  for (const field of type.all_fields) {
    if (taken.size >= first.length + 6) break;
    if (!field.read_only && !field.instead_of.some((name) => taken.has(name))) taken.add(field.name);
  }
  return [...taken];
}

export function useSendOut() {
  const { data: applications } = useApplications();
  const application = ref("");
  const said = reactive(empty());
  watch(
    applications,
    (found) => {
      if (!application.value && found?.length) application.value = found[0]?.name ?? "";
    },
    { immediate: true },
  );
  const { data: catalogue } = useCatalogue(application);
  const types = computed(() => (catalogue.value?.application.name === application.value ? catalogue.value.types : []));
  const type = computed(() => types.value.find((one) => one.name === said.record_type));
  const fields = computed(() => (type.value ? offered(type.value, types.value) : []));
  const byName = computed(() => new Map(fields.value.map((one) => [one.name, one])));
  const fixed = computed(() => new Set(type.value ? [type.value.identifier, ...(type.value.keys[0] ?? [])] : []));
  /** A document that was taken over whole, whose type is not begun anew. */
  let taken = "";
  /** No type was known yet: what is said until then is not said of another one. */
  let untyped = true;
  watch(types, (now) => {
    if (now.length && !now.some((one) => one.name === said.record_type))
      said.record_type = (now.find((one) => one.keys.length) ?? now[0])?.name ?? "";
  });
  watch(type, (now, before) => {
    if (!now || now.name === before?.name) return;
    if (taken === now.name) {
      taken = "";
      untyped = false;
      return;
    }
    const kept = untyped ? { ...said } : { format: said.format };
    untyped = false;
    Object.assign(said, { ...empty(now.name), ...kept, chosen: firstFields(now) });
    begun();
  });

  const { text, sentence, slip, asking, begun } = useCondition({
    application,
    recordType: () => said.record_type,
    condition: toRef(said, "condition"),
  });
  /** Take a whole document over, such as a route's. */
  function take(document: Document, place: string): void {
    taken = document.record_type === said.record_type && place === application.value ? "" : document.record_type;
    application.value = place;
    Object.assign(said, { ...empty(document.record_type), ...document });
    begun();
  }
  return { application, applications, types, type, fields, byName, fixed, said, text, sentence, slip, asking, take };
}

export type SendOut = ReturnType<typeof useSendOut>;
