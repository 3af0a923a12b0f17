<script setup lang="ts">
/** How a file was read, as a sentence whose parts can be changed. */
import { computed } from "vue";

import type { Schemas } from "@/api/client";
import { count, many } from "@/parts/format";
import ChoiceList from "@/ui/ChoiceList.vue";
import type { Option } from "@/ui/choosing";

import { DELIMITERS, ENCODINGS } from "./reading";

const props = defineProps<{ found: Schemas["Found"]; choices: Schemas["Choices"]; disabled?: boolean }>();
const emit = defineEmits<{ change: [choices: Schemas["Choices"]] }>();

const change = (said: Schemas["Choices"]): void => {
  emit("change", { ...props.choices, ...said });
};
const FORMATS: Record<string, string> = { xlsx: "An XLSX workbook", ods: "An ODS workbook", xls: "An XLS workbook" };
const isText = computed(() => !!props.found.encoding);
const encodings = computed<Option<string>[]>(() => {
  const now = props.found.encoding ?? "";
  const known = now in ENCODINGS ? {} : { [now]: now };
  return Object.entries({ ...known, ...ENCODINGS }).map(([value, label]) => ({ value, label }));
});
const delimiters = computed<Option<string>[]>(() => {
  const now = props.found.delimiter ?? ",";
  const known = now in DELIMITERS ? {} : { [now]: `“${now}”` };
  return Object.entries({ ...known, ...DELIMITERS }).map(([value, label]) => ({ value, label }));
});
const worksheets = computed(() =>
  [props.found.sheet ?? "", ...(props.found.other_sheets ?? [])].map((name) => ({ value: name, label: name })),
);
const headers = computed<Option<string>[]>(() => {
  const first = props.found.first_rows;
  const now = props.found.header_row ?? 1;
  const rows = first.some(({ row }) => row === now) || !now ? first : [...first, { row: now, text: "" }];
  return [
    ...rows.map(({ row, text }) => ({ value: String(row), label: `row ${count(row)}`, note: text.slice(0, 44) })),
    { value: "0", label: "no row" },
  ];
});
const kinds = computed(() => new Set((props.found.findings ?? []).map((finding) => finding.kind)));
const PREFIX = [
  { value: "off", label: "taken off" },
  { value: "keep", label: "kept as part of the text" },
];
const MARKS = [
  { value: "", label: "are read as text" },
  { value: "on", label: "count as marks" },
];
const rest = computed(() => {
  const { blank_rows: blank = 0, total_rows: totals = [] } = props.found;
  const parts = [];
  if (blank) parts.push(`${many(blank, "blank row", "blank rows")} passed over`);
  if (totals.length) parts.push(`row ${totals.join(", ")} is a total`);
  return parts.length ? ` ${parts.join(", ")}.` : "";
});
</script>

<template>
  <section class="card" data-testid="how-read">
    <b>How it was read</b>
    <p class="sentence">
      <template v-if="isText"
        >Text in
        <ChoiceList
          as="part"
          label="Encoding"
          :model-value="found.encoding ?? ''"
          :options="encodings"
          :disabled="disabled"
          @chosen="change({ encoding: $event })"
        />, its cells divided by
        <ChoiceList
          as="part"
          label="Delimiter"
          :model-value="found.delimiter ?? ','"
          :options="delimiters"
          :disabled="disabled"
          @chosen="change({ delimiter: $event })"
        />;</template
      >
      <template v-else
        >{{ FORMATS[found.format ?? ""] ?? "A workbook" }}, its worksheet
        <ChoiceList
          v-if="worksheets.length > 1"
          as="part"
          label="Worksheet"
          :model-value="found.sheet ?? ''"
          :options="worksheets"
          :disabled="disabled"
          @chosen="change({ worksheet: $event, header: null })"
        /><template v-else>“{{ found.sheet }}”</template>;</template
      >
      the header is
      <ChoiceList
        as="part"
        label="Header"
        :model-value="String(found.header_row ?? 1)"
        :options="headers"
        :disabled="disabled"
        @chosen="change({ header: Number($event) })"
      />.{{ rest }}
      <template v-if="kinds.has('prefix')">
        The apostrophe that guards formulas is
        <ChoiceList
          as="part"
          label="Guarding apostrophe"
          :model-value="choices.prefix || 'off'"
          :options="PREFIX"
          :disabled="disabled"
          @chosen="change({ prefix: $event === 'keep' ? 'keep' : 'off' })"
        />.</template
      >
      <template v-if="kinds.has('marks')">
        [clear] and its like
        <ChoiceList
          as="part"
          label="Marks"
          :model-value="choices.marks ? 'on' : ''"
          :options="MARKS"
          :disabled="disabled"
          @chosen="change({ marks: $event === 'on' })"
        />.</template
      >
    </p>
  </section>
</template>
