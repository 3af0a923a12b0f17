<script setup lang="ts">
/** The side panel: the selected row, what is asked about it, and the answers. */
import { computed, ref } from "vue";

import { api, data, type Row } from "@/api/client";
import { count, exact, many } from "@/parts/format";
import VerdictSign from "@/parts/VerdictSign.vue";
import { word } from "@/parts/verdicts";
import { useKeys } from "@/shell/keys";
import { say, sayError } from "@/shell/notices";

import { useTripContext } from "../context";

const props = defineProps<{ row: Row | undefined; column: number; rowsOf: string }>();
const emit = defineEmits<{ next: [] }>();
const { trip, mayPrepare, set, refresh } = useTripContext();
const busy = ref(false);
const STATES: Record<string, string> = {
  create: "is a new record",
  update: "changes its record",
  same: "has nothing to write",
  delete: "deletes its record",
  held: "is held",
  rejected: "is rejected",
  aside: "is set aside",
  created: "was created",
  updated: "was updated",
  deleted: "was deleted",
  refused: "was refused",
  unclear: "is unclear",
  waiting: "was not sent yet",
};
const cells = computed(() =>
  trip.value.columns.map((column, at) => ({ column, cell: props.row?.cells[at] })).filter(({ cell }) => cell?.do),
);
const conflicts = computed(() => cells.value.filter(({ cell }) => cell?.do === "held"));
const unreadable = computed(() => cells.value.filter(({ cell }) => cell?.do === "bad"));
const writes = computed(() => cells.value.filter(({ cell }) => cell?.do === "write"));
const isHeld = computed(() => props.row?.state === "held");
const asked = computed(() =>
  trip.value.reasons.find((r) => r.state === props.row?.state && r.reason === props.row?.reason),
);
const chosen = computed(
  () => trip.value.columns[props.column] ?? trip.value.columns.find((c) => c.difference && c.difference !== "0"),
);
const open = computed(() => mayPrepare.value && !busy.value && !trip.value.job && !trip.value.applied);

async function decide(
  answer: "file" | "application" | "aside" | "leave out" | "undo",
  rows: number[],
  field = "",
): Promise<void> {
  if (!rows.length || !open.value) return;
  busy.value = true;
  try {
    set(
      await data(
        api.POST("/api/trips/{id}/decisions", {
          params: { path: { id: trip.value.id } },
          body: { rows, field, answer },
        }),
      ),
    );
    say(`${many(rows.length, "row", "rows")} decided. Undo with U.`);
    await refresh();
  } catch (error) {
    sayError(error);
  } finally {
    busy.value = false;
  }
}
const one = (answer: "file" | "application" | "aside" | "leave out" | "undo"): void => {
  if (props.row) void decide(answer, [props.row.row]);
};

/** All rows that are asked the same. */
async function same(): Promise<number[]> {
  const rows: number[] = [];
  for (let offset = 0; ; offset += 500) {
    const query = { view: "review", state: props.row?.state, offset, limit: 500 };
    const window = await data(api.GET("/api/trips/{id}/rows", { params: { path: { id: trip.value.id }, query } }));
    rows.push(...window.rows.filter((r) => r.reason === props.row?.reason).map((r) => r.row));
    if (offset + 500 >= window.total) return rows;
  }
}
async function all(answer: "file" | "application" | "aside" | "leave out"): Promise<void> {
  await decide(answer, await same());
}

async function openRecord(): Promise<void> {
  const identifier = props.row?.identifier;
  if (!identifier) return;
  try {
    const { link } = await data(
      api.GET("/api/trips/{id}/records/{identifier}", { params: { path: { id: trip.value.id, identifier } } }),
    );
    if (link) globalThis.open(link, "_blank", "noopener");
    else say("This application has no page for a record.");
  } catch (error) {
    sayError(error);
  }
}

useKeys("This row", [
  { key: "1", says: "use the file", run: () => conflicts.value.length && one("file") },
  { key: "2", says: "keep application", run: () => conflicts.value.length && one("application") },
  { key: "X", says: "set aside", run: () => one("aside") },
  { key: "U", says: "undo", run: () => one("undo") },
  { key: "V", says: "open the record", run: () => void openRecord() },
  { key: "N", says: "next row", quiet: true, run: () => emit("next") },
]);
</script>

<template>
  <aside class="side" aria-label="About the row" data-testid="panel">
    <template v-if="row?.state">
      <h2 class="flex items-center gap-2">
        <VerdictSign :verdict="row.state" />Row {{ count(row.row) }} {{ STATES[row.state] ?? word(row.state) }}
      </h2>
      <section v-if="row.state === 'refused' || row.state === 'unclear'" class="card">
        <p>
          {{
            row.code === "changed-meanwhile" || row.code === "gone" || row.state === "unclear"
              ? "It was not written:"
              : "The application answered:"
          }}
        </p>
        <b class="block">{{ row.reason }}</b>
        <p v-if="row.code" class="mono mt-1">{{ row.code }}{{ row.field ? ` · ${row.field}` : "" }}</p>
      </section>
      <p v-else-if="row.reason">{{ row.reason }}</p>
      <section v-for="{ column: c, cell } in conflicts" :key="c.column" class="card">
        <b>{{ c.field_label }}</b>
        <div class="three">
          <div><small>sent out</small>{{ cell?.kept ?? "empty" }}</div>
          <div class="border-2 !border-marine bg-marine-tint"><small>your file</small>{{ cell?.new ?? "empty" }}</div>
          <div><small>application now</small>{{ cell?.old ?? "empty" }}</div>
        </div>
        <div v-if="isHeld && mayPrepare" class="mt-2 flex flex-wrap gap-1.5">
          <button
            type="button"
            class="btn sm go"
            :disabled="!open"
            @click="decide('file', [row.row], c.field_name ?? '')"
          >
            Use the file <kbd>1</kbd>
          </button>
          <button
            type="button"
            class="btn sm"
            :disabled="!open"
            @click="decide('application', [row.row], c.field_name ?? '')"
          >
            Keep application <kbd>2</kbd>
          </button>
        </div>
      </section>
      <section v-for="{ column: c, cell } in unreadable" :key="c.column" class="card">
        <b>{{ c.field_label }}</b>
        <p>
          In the cell: <span class="mono font-bold !text-reject">{{ cell?.text }}</span>
        </p>
        <p>
          In the application: <span class="mono">{{ cell?.old ?? "empty" }}</span>
        </p>
        <button
          v-if="mayPrepare"
          type="button"
          class="btn sm mt-2"
          :disabled="!open"
          @click="decide('leave out', [row.row], c.field_name ?? '')"
        >
          Leave this cell out, carry the rest
        </button>
      </section>
      <section v-if="asked && asked.count > 1 && ['held', 'rejected'].includes(row.state) && mayPrepare" class="card">
        <b>The same for {{ many(asked.count, "row", "rows") }}</b>
        <div class="mt-1.5 flex flex-wrap gap-1.5">
          <template v-if="conflicts.length">
            <button type="button" class="btn sm" :disabled="!open" @click="all('file')">
              Use the file in all {{ count(asked.count) }}
            </button>
            <button type="button" class="btn sm" :disabled="!open" @click="all('application')">
              Keep application in all
            </button>
          </template>
          <button type="button" class="btn sm" :disabled="!open" @click="all('aside')">
            Set all {{ count(asked.count) }} aside
          </button>
        </div>
      </section>
      <section v-if="writes.length" class="card">
        <b>{{
          ["created", "updated"].includes(row.state)
            ? "What was written"
            : row.state === "refused"
              ? "What it would write"
              : "What it writes"
        }}</b>
        <dl class="mt-1 grid gap-1 text-[13px]">
          <div v-for="{ column: c, cell } in writes" :key="c.column">
            <dt class="soft">{{ c.field_label }}</dt>
            <dd class="mono break-words">
              <template v-if="cell?.old"
                ><span class="old">{{ cell.old }}</span> → </template
              ><span class="new">{{ cell?.new ?? "empty" }}</span>
            </dd>
          </div>
        </dl>
      </section>
      <div class="flex flex-wrap gap-1.5">
        <button
          v-if="mayPrepare && !['aside', 'created', 'updated', 'deleted'].includes(row.state)"
          type="button"
          class="btn sm"
          :disabled="!open"
          @click="one('aside')"
        >
          Set aside <kbd>X</kbd>
        </button>
        <button v-if="mayPrepare && trip.decided" type="button" class="btn sm" :disabled="!open" @click="one('undo')">
          Undo <kbd>U</kbd>
        </button>
        <button v-if="row.identifier" type="button" class="btn sm" data-testid="open-record" @click="openRecord">
          Open the record <kbd>V</kbd>
        </button>
      </div>
    </template>
    <p v-else>Choose a row to see what it does and why.</p>
    <section v-if="chosen?.changed" class="card mt-auto">
      <b>{{ chosen.field_label }}, {{ many(chosen.changed, "change", "changes") }}</b>
      <p v-if="chosen.before != null" class="mono">
        {{ exact(chosen.before) }} → <b class="text-ink">{{ exact(chosen.after) }}</b>
      </p>
      <p>
        {{
          [
            chosen.held && `${count(chosen.held)} held`,
            chosen.unreadable && `${count(chosen.unreadable)} cannot be read`,
            chosen.emptied && `${count(chosen.emptied)} emptied, left as they are`,
          ]
            .filter(Boolean)
            .join(" · ")
        }}
      </p>
    </section>
  </aside>
</template>
