<script setup lang="ts">
import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import { refDebounced } from "@vueuse/core";
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";

import { api, data, Problem } from "@/api/client";
import { jobDone, useApplications, useCatalogue, useMay } from "@/api/queries";
import { count, many } from "@/parts/format";
import StageLabel from "@/parts/StageLabel.vue";
import { useFootNote } from "@/shell/foot";
import { useKeys } from "@/shell/keys";
import { say } from "@/shell/notices";
import BusyButton from "@/ui/BusyButton.vue";
import ChoiceList from "@/ui/ChoiceList.vue";
import { useDoing } from "@/ui/doing";
import SidePanel from "@/ui/SidePanel.vue";

import FieldList from "./FieldList.vue";
import TypePicker from "./TypePicker.vue";

defineEmits<{ bring: [] }>();
const FORMATS = ["xlsx", "ods", "csv", "tsv"] as const;
const router = useRouter();
const mayPrepare = useMay("prepare");
const { data: applications } = useApplications();
const application = ref("");
const typeName = ref("");
const condition = ref("");
const chosen = ref<string[]>([]);
const format = ref<(typeof FORMATS)[number]>("xlsx");
const isBook = computed(() => format.value === "xlsx" || format.value === "ods");
const title = ref("");
const conditionInput = ref<HTMLInputElement>();

watch(
  applications,
  (found) => {
    if (!application.value && found?.length) application.value = found[0]?.name ?? "";
  },
  { immediate: true },
);
const { data: catalogue } = useCatalogue(application);
const type = computed(() => catalogue.value?.types.find((t) => t.name === typeName.value));
watch(
  () => catalogue.value?.types,
  (types) => {
    if (types && !types.some((t) => t.name === typeName.value))
      typeName.value = (types.find((t) => t.keys.length) ?? types[0])?.name ?? "";
  },
  { immediate: true },
);
watch(type, (now, before) => {
  if (!now || now.name === before?.name) return;
  const first = [now.identifier, ...(now.keys[0] ?? [])];
  const rest = now.all_fields.filter((f) => !f.read_only && !first.includes(f.name)).map((f) => f.name);
  chosen.value = [...first, ...rest.slice(0, 6)];
  condition.value = "";
});
const fixed = computed(() => new Set(type.value ? [type.value.identifier, ...(type.value.keys[0] ?? [])] : []));
const readable = computed(() =>
  (type.value?.all_fields ?? []).flatMap((f) =>
    f.target
      ? (catalogue.value?.types.find((t) => t.name === f.target)?.all_fields ?? [])
          .filter((inner) => inner.name !== "id")
          .map((inner) => ({ name: `${f.name}/${inner.name}`, label: `${f.label} › ${inner.label}` }))
      : [],
  ),
);

const places = computed(() => (applications.value ?? []).map((a) => ({ value: a.name, label: a.label })));
const settled = refDebounced(
  computed(() => ({
    application: application.value,
    type: typeName.value,
    chosen: chosen.value,
    condition: condition.value,
  })),
  350,
);
const preview = useQuery({
  queryKey: computed(() => ["preview", settled.value]),
  queryFn: () => {
    const { application: name, type: record_type, chosen: fields, condition: text } = settled.value;
    return data(
      api.POST("/api/applications/{name}/preview", {
        params: { path: { name } },
        body: { record_type, chosen: fields, condition: text },
      }),
    );
  },
  enabled: computed(
    () => !!settled.value.type && settled.value.chosen.length > 0 && settled.value.application === application.value,
  ),
  placeholderData: keepPreviousData,
});
const slip = computed(() => (preview.error.value instanceof Problem ? preview.error.value.message : ""));
const stage = computed(() => applications.value?.find((a) => a.name === application.value)?.stage ?? "practice");
const kinds = computed(() =>
  settled.value.chosen.map((name) => {
    const field = type.value?.all_fields.find((f) => f.name === name);
    return {
      number: field?.kind === "decimal" || field?.kind === "whole number",
      note: fixed.value.has(name)
        ? name === type.value?.identifier
          ? "kept"
          : "key"
        : field
          ? field.read_only
            ? "for reading"
            : field.choices.length
              ? `${field.kind === "choices" ? "several" : "one"} of ${field.choices.length}`
              : (field.target?.toLowerCase() ?? field.kind)
          : "for reading",
    };
  }),
);

const progress = ref("Reading records…");
const sending = useDoing(
  async () => {
    progress.value = "Reading records…";
    const body = {
      application: application.value,
      record_type: typeName.value,
      chosen: chosen.value,
      condition: condition.value,
      title: title.value,
      format: format.value,
    };
    const asked = await data(api.POST("/api/sent-out", { body }));
    return jobDone(asked.id, (now) => {
      progress.value = now.total ? `${count(now.done)} of ${count(now.total)} read…` : "Reading records…";
    });
  },
  {
    done: ({ result }) => {
      if (!result?.trip) return;
      const link = document.createElement("a");
      link.href = `/api/trips/${result.trip}/sheets/${result.sheet}`;
      link.download = "";
      link.click();
      say(`${many(result.rows ?? 0, "record", "records")} went out. The sheet is downloaded, and stays with the trip.`);
      return router.push(`/trips/${result.trip}`);
    },
  },
);
const canSend = computed(() => !slip.value && !!preview.data.value && mayPrepare.value);
function send(): void {
  if (canSend.value) sending.start();
}
useKeys("Sending out", [
  { key: "/", says: "condition", run: () => conditionInput.value?.focus() },
  { key: "Ctrl Enter", says: "send out", run: send },
]);
useFootNote(() => "reading only: the application is not changed");
</script>

<template>
  <div class="where">
    <StageLabel :stage="stage" />
    <ChoiceList v-model="application" as="pill" label="Application" :options="places" />
    <h1>Send records out</h1>
    <span class="ml-auto" aria-live="polite">{{ sending.busy.value ? progress : "" }}</span>
    <BusyButton
      type="button"
      class="go"
      :busy="sending.busy.value"
      :disabled="!canSend"
      data-testid="send"
      @click="send"
    >
      Send out {{ preview.data.value ? many(preview.data.value.count, "row", "rows") : "" }}
    </BusyButton>
  </div>
  <div class="flex flex-none flex-wrap items-center gap-x-3 gap-y-1 border-t border-rule bg-panel px-4 py-3 text-title">
    Every <TypePicker v-model="typeName" :types="catalogue?.types ?? []" /> where
    <input
      ref="conditionInput"
      v-model="condition"
      class="mono min-w-[260px] flex-1 border-b-2 border-marine bg-transparent px-1 py-1 text-body"
      :class="{ '!border-reject': slip }"
      aria-label="Condition"
      aria-describedby="slip"
      spellcheck="false"
      placeholder="all of them, or such as: harbour eq 'NORTHHAVEN' and daily_rate gt 40"
    />
    <span class="soft text-body"
      ><b class="mono text-ink">{{ preview.data.value ? count(preview.data.value.count) : "…" }}</b> of
      {{ preview.data.value ? count(preview.data.value.total) : "…" }} records</span
    >
    <pre v-if="slip" id="slip" class="mono w-full text-small whitespace-pre-wrap text-reject" role="alert">{{
      slip
    }}</pre>
  </div>
  <div class="work">
    <section class="w-[282px] flex-none overflow-auto border-r border-rule p-3" aria-label="Fields">
      <FieldList v-if="type" v-model="chosen" :type="type" :fixed="fixed" :readable="readable" />
    </section>
    <div class="main">
      <div class="tools">
        <b>The sheet as it will be</b
        ><span class="soft">first {{ many(preview.data.value?.rows.length ?? 0, "row", "rows") }}</span>
      </div>
      <div class="min-h-0 flex-1 overflow-auto" tabindex="0" role="region" aria-label="Preview">
        <table
          v-if="preview.data.value"
          class="border-collapse text-small"
          :class="{ 'opacity-60': preview.isFetching.value && !!slip }"
        >
          <thead class="sticky top-0">
            <tr>
              <th
                v-for="(header, at) in preview.data.value.headers"
                :key="at"
                class="border-r border-b-2 border-rule border-b-rule-strong bg-sunk px-2.5 py-1.5 text-left font-semibold whitespace-nowrap"
              >
                {{ header }}<small class="soft block text-fine font-normal">{{ kinds[at]?.note }}</small>
              </th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(row, at) in preview.data.value.rows" :key="at">
              <td
                v-for="(cell, c) in row"
                :key="c"
                class="mono h-[29px] max-w-[260px] truncate border-r border-b border-[#ECE8DD] px-2.5 text-data"
                :class="{
                  'text-right': kinds[c]?.number,
                  'bg-[#faf9f5] text-ink-faint': kinds[c]?.note === 'for reading',
                }"
              >
                {{ cell }}
              </td>
            </tr>
          </tbody>
        </table>
        <p v-else-if="!slip" class="soft p-5">Asking the application…</p>
        <p v-if="preview.data.value && !preview.data.value.count" class="soft p-5">No record meets this condition.</p>
      </div>
    </div>
    <SidePanel class="!w-[254px]" label="The sheet">
      <h2>The sheet</h2>
      <div class="flex gap-2" role="group" aria-label="Format">
        <button
          v-for="one in FORMATS"
          :key="one"
          type="button"
          class="chip"
          :aria-pressed="format === one"
          @click="format = one"
        >
          {{ one.toUpperCase() }}
        </button>
      </div>
      <label
        ><span class="field-label">The trip's name</span
        ><input v-model="title" class="input" :placeholder="type?.plural" maxlength="160"
      /></label>
      <section class="card">
        <b>{{ isBook ? "Made for editing" : "Plain text" }}</b>
        <p>
          {{
            isBook
              ? "Header and keys stay in view, choices have drop-downs, codes stay text (007), long numbers keep every digit."
              : "UTF-8. Text that a spreadsheet would run as a formula is made harmless and comes back unchanged."
          }}
        </p>
      </section>
      <section class="card">
        <b>Kept here too</b>
        <p>A copy stays with the trip. It tells your edits from other people's.</p>
      </section>
    </SidePanel>
  </div>
</template>
