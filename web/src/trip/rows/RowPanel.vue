<script setup lang="ts">
/** The side panel: the selected row, what is asked about it, and the answers. */
import { computed } from "vue";

import { api, data, type Row, type Schemas } from "@/api/client";
import { count } from "@/parts/format";
import VerdictSign from "@/parts/VerdictSign.vue";
import { sentence } from "@/parts/verdicts";
import { useKeys } from "@/services/keys";
import { say } from "@/services/notices";
import { useDoing } from "@/ui/doing";

import SidePanel from "@/ui/SidePanel.vue";

import { pictured } from "../columns";
import { useTripContext } from "../context";
import CellCard from "../edit/CellCard.vue";
import FixCell from "../edit/FixCell.vue";
import ReplaceCard from "../edit/ReplaceCard.vue";
import { type Answer, useDeciding } from "./deciding";
import EmptiedCells from "../review/EmptiedCells.vue";
import FieldPicture from "../pictures/FieldPicture.vue";
import RowQuestions from "./RowQuestions.vue";
import RowStory from "./RowStory.vue";

const props = defineProps<{
  row: Row | undefined;
  /** The row is of the plan that counts, and not one that was shown before it: only then anything is decided. */
  ready?: boolean;
  column: number;
  /** How many rows stand below this one, and which are shown: edits of many cells reach these. */
  below?: number;
  shown?: Schemas["Shown"];
  /** The change whose rows are shown. */
  change?: string;
  /** What passes wrote is shown, and not what the plan does. */
  written?: boolean;
}>();
const emit = defineEmits<{ next: []; edit: []; filter: [field: string, change: string] }>();
const { trip, mayPrepare } = useTripContext();
const { decide, undo, open: taken } = useDeciding();
const open = computed(() => taken.value && props.ready);
const cells = computed(() =>
  trip.value.columns.map((column, at) => ({ column, cell: props.row?.cells[at] })).filter(({ cell }) => cell?.action),
);
const conflicts = computed(() => cells.value.filter(({ cell }) => cell?.action === "held"));
/** The cells that can be read, but for which the row is not in: put right here, where the reason is read. */
const faulty = computed(() => {
  if (!["rejected", "refused"].includes(props.row?.state ?? "")) return [];
  const fields = new Set(props.row?.faults.map((fault) => fault.field).filter(Boolean));
  return trip.value.columns
    .map((column, at) => ({ column, cell: props.row?.cells[at] }))
    .filter(({ column, cell }) => cell?.action !== "unreadable" && fields.has(column.field ?? ""));
});
const writes = computed(() => cells.value.filter(({ cell }) => cell?.action === "write"));
const emptied = computed(() => cells.value.filter(({ cell }) => cell?.action === "emptied"));
/** The column whose emptied cells are asked about where the row itself asks none. */
const asked = computed(() => {
  const own = trip.value.columns[props.column];
  return emptied.value.length ? undefined : own?.emptied ? own : trip.value.columns.find((c) => c.emptied);
});
const further = computed(() => props.row?.faults.slice(1) ?? []);
const chosen = computed(() => pictured(trip.value.columns, props.column));
const mayDecide = computed(() => mayPrepare.value && !!trip.value.plan?.current);
/** The answers to one fault of the row. */
const answersTo = (code: string, field: string | null): readonly Answer[] =>
  props.row?.faults.find((fault) => fault.code === code && fault.field === field)?.answers ?? [];
const one = (answer: Answer["answer"]): void => {
  if (props.row && props.ready) decide({ rows: [props.row.row_id], answer });
};

/** The answers that keys give: both sides of a conflict for the whole row, else those to the first question of it. */
function byKey(at: number): void {
  if (!props.row || !props.ready || !["held", "rejected"].includes(props.row.state ?? "")) return;
  const sides = (["file", "application", "merge"] as const)[at];
  if (conflicts.value.length) {
    if (sides && props.row.faults.some((own) => own.answers.some(({ answer }) => answer === sides))) one(sides);
    return;
  }
  const fault = props.row.faults.find((own) => own.answers.length);
  const option = fault?.answers.filter((own) => !own.needs_record && !own.needs_value)[at];
  if (fault && option)
    decide({ rows: [props.row.row_id], answer: option.answer, field: fault.field, argument: option.argument });
}

const record = useDoing(
  async () => {
    const path = { id: trip.value.id, identifier: props.row?.identifier ?? "" };
    return (await data(api.GET("/api/trips/{id}/records/{identifier}", { params: { path } }))).link;
  },
  {
    done: (link) => {
      if (link) globalThis.open(link, "_blank", "noopener");
      else say("This application has no page for a record.");
    },
  },
);
function openRecord(): void {
  if (props.row?.identifier) record.start();
}

useKeys("This row", [
  ...["1", "2", "3"].map((key, at) => ({
    key,
    says: ["first answer", "second", "third"][at] ?? "",
    run: () => {
      byKey(at);
    },
  })),
  {
    key: "S",
    says: "set aside",
    run: () => {
      one("aside");
    },
  },
  {
    key: "U",
    says: "undo",
    run: () => {
      undo();
    },
  },
  { key: "V", says: "open the record", run: openRecord },
  {
    key: "N",
    says: "next row",
    quiet: true,
    run: () => {
      emit("next");
    },
  },
]);
</script>

<template>
  <SidePanel label="About the row" data-testid="panel">
    <template v-if="row?.state">
      <h2 class="flex items-center gap-2">
        <VerdictSign :verdict="row.state" />Row {{ count(row.row) }} {{ sentence(row.state) }}
      </h2>
      <section v-if="row.state === 'refused' || row.state === 'unclear'" class="card">
        <p>
          {{ row.faults[0]?.code === "refused" ? "The application answered:" : "It was not written:" }}
        </p>
        <b class="block">{{ row.reason }}</b>
        <p v-if="row.refused_with" class="mono mt-1">
          {{ row.refused_with }}{{ row.faults[0]?.field ? ` · ${row.faults[0].field}` : "" }}
        </p>
      </section>
      <p v-else-if="row.reason">{{ row.reason }}</p>
      <ul v-if="further.length" class="grid gap-0.5 text-small" data-testid="further">
        <li v-for="fault in further" :key="fault.code + fault.field" class="soft">Also: {{ fault.says }}</li>
      </ul>
      <p v-if="row.pointed.length" class="text-small font-semibold text-held" data-testid="pointed">
        Point to this record: {{ row.pointed.join("; ") }}
      </p>
      <p v-for="warning in row.warnings" :key="warning" class="rounded bg-held-tint px-2 py-1 text-held">
        The application warns: {{ warning }}
      </p>
      <section v-if="faulty.length && mayPrepare" class="card grid gap-2">
        <FixCell v-for="{ column: c, cell } in faulty" :key="c.column" :row-id="row.row_id" :column="c" :cell="cell" />
      </section>
      <RowQuestions :row="row" :cells="cells" :ready="ready" />
      <EmptiedCells
        v-for="{ column: c, cell } in emptied"
        :key="c.column"
        :column="c"
        :row="{ id: row.row_id, sent: cell?.sent ?? null, answers: answersTo('emptied', c.field) }"
      />
      <section v-if="writes.length" class="card">
        <b>{{
          ["created", "updated"].includes(row.state)
            ? "What was written"
            : row.state === "refused"
              ? "What it would have written"
              : "What it writes"
        }}</b>
        <dl class="mt-1 grid gap-1 text-small">
          <div v-for="{ column: c, cell } in writes" :key="c.column">
            <dt class="soft">{{ c.label }}</dt>
            <dd class="mono break-words">
              <template v-if="cell?.current"><span class="old">{{ cell.current }}</span> → </template
              ><span class="new">{{ cell?.proposed ?? "empty" }}</span>
            </dd>
          </div>
        </dl>
      </section>
      <RowStory v-if="trip.plan" :row="row" />
      <div class="flex flex-wrap gap-1.5">
        <template v-if="mayDecide">
          <button
            v-for="answer in row.answers"
            :key="answer.answer"
            type="button"
            class="btn sm"
            :disabled="!open"
            @click="one(answer.answer)"
          >
            {{ answer.says }} <kbd v-if="answer.answer === 'aside'">S</kbd>
          </button>
        </template>
        <button v-if="mayDecide" type="button" class="btn sm" :disabled="!open" @click="undo()">
          Undo my last decision <kbd>U</kbd>
        </button>
        <button v-if="row.identifier" type="button" class="btn sm" data-testid="open-record" @click="openRecord">
          Open the record <kbd>V</kbd>
        </button>
      </div>
    </template>
    <p v-else>Choose a row to see what it does and why.</p>
    <template v-if="row && trip.columns[column] && shown">
      <CellCard :row="row" :column="trip.columns[column]" :below="below ?? 0" :shown="shown" @edit="emit('edit')" />
      <ReplaceCard :column="trip.columns[column]" :shown="shown" />
    </template>
    <EmptiedCells v-if="asked" class="mt-auto" :column="asked" />
    <FieldPicture
      v-if="chosen?.changed"
      :class="{ 'mt-auto': !asked }"
      :column="chosen"
      :change="change"
      :written="written"
      @filter="(field, wanted) => emit('filter', field, wanted)"
    />
  </SidePanel>
</template>
