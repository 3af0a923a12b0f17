/** A condition in both forms, its text and its clauses, of which the server makes one from the other. */
import { useDebounceFn } from "@vueuse/core";
import { computed, type InjectionKey, provide, type Ref, ref } from "vue";

import { api, data, Problem } from "@/api/client";

import { finished, type Part, partOf } from "./conditions";

const PAUSE = 250;
/** How many entered values it is being found out of what they mean: the condition may still become another one. */
export const LOOKED_FOR: InjectionKey<Ref<number>> = Symbol("values looked for");

export interface ConditionOf {
  application: Readonly<Ref<string>>;
  recordType: () => string;
  /** Its text. */
  condition: Ref<string>;
}

export function useCondition({ application, recordType, condition }: ConditionOf) {
  const clauses = ref<Part | null>(null);
  const slip = ref("");
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
      const asked = { record_type: recordType(), ...body };
      const told = await data(api.POST("/api/applications/{name}/condition", { params, body: asked }));
      if (mine !== turn) return;
      slip.value = "";
      if (body.text === undefined) condition.value = told.text;
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
      condition.value = "";
      return undefined;
    }
    return ask({ clauses: { ...whole } });
  }, PAUSE);
  /** The condition as its text. */
  const text = computed({
    get: () => condition.value,
    set: (now) => {
      condition.value = now;
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
  /** Take over what was said elsewhere. */
  function begun(): void {
    forgetAsked();
    clauses.value = null;
    if (condition.value) void ask({ text: condition.value });
  }
  return { text, sentence, slip, asking, begun };
}
