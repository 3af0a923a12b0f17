/** All that is said of what goes out, and its condition in both forms. */
import { useDebounceFn } from "@vueuse/core";
import { computed, type InjectionKey, provide, reactive, type Ref, ref, watch } from "vue";

import { api, data, type Document, Problem, type RecordType } from "@/api/client";
import { useApplications, useCatalogue } from "@/api/queries";

import { finished, type Part, partOf } from "./conditions";
import { offered } from "./fields";

const PAUSE = 250;
/** How many entered values it is being found out of what they mean: the condition may still become another one. */
export const LOOKED_FOR: InjectionKey<Ref<number>> = Symbol("values looked for");

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
  const clauses = ref<Part | null>(null);
  const slip = ref("");
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
  watch(types, (now) => {
    if (now.length && !now.some((one) => one.name === said.record_type))
      said.record_type = (now.find((one) => one.keys.length) ?? now[0])?.name ?? "";
  });
  watch(type, (now, before) => {
    if (!now || now.name === before?.name) return;
    if (taken === now.name) {
      taken = "";
      return;
    }
    forgetAsked();
    Object.assign(said, { ...empty(now.name), format: said.format, chosen: firstFields(now) });
    clauses.value = null;
  });

  let turn = 0;
  const unsettled = ref(false);
  const lookedFor = ref(0);
  provide(LOOKED_FOR, lookedFor);
  /** The sentence and the text of the condition do not say the same yet, or not what they will. */
  const asking = computed(() => unsettled.value || lookedFor.value > 0);
  /** Something new is said: what was asked before is not waited for any more. */
  function begin(): number {
    unsettled.value = true;
    return ++turn;
  }
  function forgetAsked(): void {
    turn++;
    unsettled.value = false;
    slip.value = "";
  }
  async function ask(body: { text?: string; clauses?: Record<string, unknown> | null }): Promise<void> {
    const mine = begin();
    try {
      const params = { path: { name: application.value } };
      const asked = { record_type: said.record_type, ...body };
      const told = await data(api.POST("/api/applications/{name}/condition", { params, body: asked }));
      if (mine !== turn) return;
      slip.value = "";
      if (body.text === undefined) said.condition = told.text;
      else clauses.value = partOf(told.clauses);
    } catch (error) {
      if (mine === turn) slip.value = error instanceof Problem ? error.message : String(error);
    }
    if (mine === turn) unsettled.value = false;
  }
  const askText = useDebounceFn((text: string, due: number) => (due === turn ? ask({ text }) : undefined), PAUSE);
  const askClauses = useDebounceFn((part: Part | null, due: number) => {
    if (due !== turn) return undefined;
    const whole = part ? finished(part) : null;
    if (!whole) {
      forgetAsked();
      said.condition = "";
      return undefined;
    }
    return ask({ clauses: { ...whole } });
  }, PAUSE);
  /** The condition as its text. */
  const text = computed({
    get: () => said.condition,
    set: (now) => {
      said.condition = now;
      void askText(now, begin());
    },
  });
  /** The condition as a sentence. */
  const sentence = computed({
    get: () => clauses.value,
    set: (now) => {
      clauses.value = now;
      void askClauses(now, begin());
    },
  });
  /** Take a whole document over, such as a route's. */
  function take(document: Document, place: string): void {
    taken = document.record_type === said.record_type && place === application.value ? "" : document.record_type;
    forgetAsked();
    application.value = place;
    Object.assign(said, { ...empty(document.record_type), ...document });
    clauses.value = null;
    if (said.condition) void ask({ text: said.condition });
  }
  return { application, applications, types, type, fields, byName, fixed, said, text, sentence, slip, asking, take };
}

export type SendOut = ReturnType<typeof useSendOut>;
