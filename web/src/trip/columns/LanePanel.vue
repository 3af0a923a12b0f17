<script setup lang="ts">
/** Beside the grid: where a column's values go, as a sentence that is changed in place, and what becomes of them. */
import { useQuery } from "@tanstack/vue-query";
import { computed, ref } from "vue";

import { api, type Column, data, type Field } from "@/api/client";
import { jobEnded } from "@/api/queries";
import { uploadFile } from "@/api/upload";
import { count, many } from "@/parts/format";
import { sayError } from "@/services/notices";
import AlertNote from "@/ui/AlertNote.vue";
import BusyButton from "@/ui/BusyButton.vue";

import { useTripContext } from "../context";
import EmptiedCells from "../review/EmptiedCells.vue";
import AskedCard from "./AskedCard.vue";
import BlankRule from "./BlankRule.vue";
import { bareLane, type ColumnChange, type Option, PLAIN, together } from "./lanes";
import LaneSentence from "./LaneSentence.vue";
import NewChoices from "./NewChoices.vue";
import { useLane } from "./useLane";
import ValuesTable from "./ValuesTable.vue";

const props = defineProps<{
  column: Column | undefined;
  field: Field;
  /** How many other columns have the other rule for filled fields. */
  others: number;
  /** The key of a record, which has no rules for blank cells. */
  finds: boolean;
  busy: boolean;
  /** The application lets this person add choices. */
  addsChoices: boolean;
}>();
const emit = defineEmits<{
  change: [change: ColumnChange];
  all: [onlyEmpty: boolean];
}>();
const { trip, mayPrepare } = useTripContext();
const { data: offered, refetch } = useQuery({
  queryKey: computed(() => ["lanes", trip.value.id, trip.value.version]),
  queryFn: () => data(api.GET("/api/trips/{id}/lanes", { params: { path: { id: trip.value.id } } })),
  staleTime: Infinity,
});
const treatments = computed(() => offered.value?.treatments ?? []);
const ownColumn = computed(() => (props.column && props.column.how !== "fixed" ? props.column.column : ""));
const { draft, changed, whole, tried, error, forget } = useLane(
  () => ({
    trip: trip.value.id,
    version: trip.value.version,
    field: props.field.name,
    column: ownColumn.value,
    lane: bareLane(props.column?.lane),
  }),
  treatments,
);
const headers = computed(() => trip.value.columns.filter((c) => !c.extra && c.header).map((c) => c.header));
const header = computed(() => (props.column && !props.column.extra ? props.column.header : ""));
const targets = computed(() =>
  props.field.kind === "choice" || props.field.kind === "choices"
    ? props.field.choices.map((value) => ({ value, label: value }))
    : [],
);
const readOnly = computed(() => !mayPrepare.value || props.busy);
const sourced = computed(() => !!(draft.value.fixed || draft.value.source || header.value));
const use = (): void => {
  emit("change", { columns: {}, lanes: { [props.field.name]: draft.value } });
};
const answer = (option: Option): void => {
  emit("change", together([option]));
};
const drop = (): void => {
  forget();
  emit("change", { columns: {}, lanes: { [props.field.name]: { ...PLAIN } } });
};
const sentence = ref<{ treat: () => void }>();
defineExpose({ treat: () => sentence.value?.treat() });
async function bring(at: number, file: File): Promise<void> {
  try {
    const number = await uploadFile(file, () => undefined);
    const asked = await data(api.POST("/api/uploads/{number}/recognise", { params: { path: { number } } }));
    await jobEnded(asked.id);
    await refetch();
    const table = { table: `sheet:${number}`, by: "", take: "" };
    const treatments = draft.value.treatments.map((one, place) =>
      place === at && one.do === "look up" ? { ...one, ...table } : one,
    );
    draft.value = { ...draft.value, treatments };
  } catch (problem) {
    sayError(problem);
  }
}
</script>

<template>
  <LaneSentence
    ref="sentence"
    v-model="draft"
    :kind="field.kind"
    :header="header"
    :headers="headers"
    :treatments="treatments"
    :tables="offered?.tables ?? []"
    :targets="targets"
    :tried="tried"
    :disabled="readOnly"
    @sheet="bring"
  />
  <AlertNote v-if="error && changed">{{ error.message }}</AlertNote>
  <div v-if="changed" class="flex flex-wrap gap-1.5">
    <BusyButton
      type="button"
      class="btn go sm"
      :busy="busy"
      :disabled="readOnly || !whole || !sourced || !!error"
      @click="use()"
      >Use this lane<template v-if="tried?.touched && whole">
        for {{ many(tried.touched, "row", "rows") }}</template
      ></BusyButton
    >
    <button type="button" class="btn sm" @click="forget()">Back to what it was</button>
  </div>
  <button v-else-if="column?.extra && !readOnly" type="button" class="btn sm justify-self-start" @click="drop()">
    Take this field out
  </button>
  <AskedCard
    v-for="question in column?.questions ?? []"
    :key="question.says"
    :question="question"
    :disabled="readOnly"
    @answer="answer"
  />
  <p v-if="column?.agrees" class="card" data-testid="agrees">
    Agrees with the application in {{ count(column.agrees.agrees) }} of
    {{ many(column.agrees.compared, "row", "rows") }}.<template v-if="column.agrees.compared && !column.agrees.agrees">
      <b class="text-held"> It agrees nowhere: is it the right column?</b></template
    >
  </p>
  <BlankRule
    v-if="column && !finds && !column.check && column.carried"
    :column="column"
    :lane="bareLane(column.lane)"
    :others="others"
    :once="field.create_only"
    :disabled="readOnly"
    @change="emit('change', { columns: {}, lanes: { [field.name]: $event } })"
    @all="emit('all', $event)"
  />
  <ValuesTable v-if="sourced && !draft.fixed" :tried="tried" :rows="trip.rows ?? 0" />
  <NewChoices
    v-if="field.kind === 'choice' && addsChoices && !readOnly"
    :field="field"
    :tried="tried"
    @added="emit('change', { columns: {}, lanes: { [field.name]: draft } })"
  />
  <EmptiedCells v-if="column?.emptied" :column="column" />
</template>
