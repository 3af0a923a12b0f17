<script setup lang="ts">
import { keepPreviousData, useInfiniteQuery } from "@tanstack/vue-query";
import { computed } from "vue";

import { api, data, type Schemas } from "@/api/client";
import { useApplications } from "@/api/queries";
import { count, fullTime, many } from "@/parts/format";
import StageLabel from "@/parts/StageLabel.vue";
import { useFootNote } from "@/services/foot";
import { useTyped } from "@/ui/selected";
import { useInAddress } from "@/ui/address";
import AlertNote from "@/ui/AlertNote.vue";
import BusyButton from "@/ui/BusyButton.vue";
import ChoiceList from "@/ui/ChoiceList.vue";
import DataTable from "@/ui/DataTable.vue";
import type { TableColumn } from "@/ui/table";

type Entry = Schemas["Entry"];
const COLUMNS: TableColumn<Entry>[] = [
  { key: "at", title: "When", class: "mono text-data whitespace-nowrap" },
  { key: "who", title: "Who", class: "whitespace-nowrap" },
  { key: "way", title: "By", class: "max-w-44 truncate text-ink-soft" },
  { key: "what", title: "What", class: "whitespace-nowrap" },
  { key: "stage", title: "Where" },
  { key: "rows", title: "Rows", right: true },
  { key: "message", title: "In words" },
];
defineEmits<{ bring: [] }>();
const who = useInAddress("who");
const what = useInAddress("what");
const application = useInAddress("application");
const { typed, kept: text } = useTyped("text");
const asked = computed(() => ({
  who: who.value,
  what: what.value,
  application: application.value,
  text: text.value,
}));
const { data: applications } = useApplications();
const journal = useInfiniteQuery({
  queryKey: computed(() => ["journal", asked.value]),
  queryFn: ({ pageParam }) =>
    data(api.GET("/api/journal", { params: { query: { ...asked.value, before: pageParam } } })),
  initialPageParam: "",
  getNextPageParam: (last) => (last.more ? String(last.entries.at(-1)?.id) : undefined),
  placeholderData: keepPreviousData,
  refetchInterval: 15_000,
  meta: { told: true },
});
const entries = computed(() => journal.data.value?.pages.flatMap((page) => page.entries) ?? []);
const first = computed(() => journal.data.value?.pages[0]);
const all = (label: string) => ({ value: "", label });
const people = computed(() => [
  all("Everyone"),
  ...(first.value?.people ?? []).map((one) => ({
    value: one.username,
    label: one.name,
    note: one.name === one.username ? undefined : one.username,
  })),
]);
const kinds = computed(() => [
  all("Everything"),
  ...(first.value?.kinds ?? []).map((kind) => ({ value: kind, label: kind })),
]);
const places = computed(() => [
  all("All applications"),
  ...(applications.value ?? []).map((a) => ({ value: a.name, label: a.label })),
]);
/** What is shown, whole, as a file. */
const fileAt = (ending: string): string => {
  const query = new URLSearchParams(Object.entries(asked.value).filter(([, value]) => value));
  return `/api/journal.${ending}${query.size ? `?${query.toString()}` : ""}`;
};
useFootNote(() => (first.value ? `${many(entries.value.length, "entry", "entries")} shown · only ever added to` : ""));
</script>

<template>
  <div class="where">
    <h1>Journal</h1>
    <span class="soft">who did what, when; nobody can change it</span>
  </div>
  <div class="flex min-h-0 flex-1 flex-col border-t border-rule bg-panel">
    <div class="tools">
      <ChoiceList v-model="who" as="pill" label="Who" :options="people" />
      <ChoiceList v-model="what" as="pill" label="What" :options="kinds" />
      <ChoiceList v-model="application" as="pill" label="Application" :options="places" />
      <input
        v-model="typed"
        type="search"
        class="input !min-h-6 !w-52 !py-0 !text-data"
        placeholder="Words in an entry"
        aria-label="Words in an entry"
      />
      <span class="ml-auto flex gap-2">
        <a class="btn sm" :href="fileAt('csv')" download>Download as CSV</a>
        <a class="btn sm" :href="fileAt('jsonl')" download>as JSON lines</a>
      </span>
    </div>
    <AlertNote v-if="journal.error.value" class="m-3">{{ journal.error.value.message }}</AlertNote>
    <DataTable :id="(entry) => entry.id" :rows="entries" :columns="COLUMNS" label="Entries">
      <template #at="{ row }">{{ fullTime(row.at) }}</template>
      <template #who="{ row }"><span :title="row.who.username">{{ row.who.name }}</span></template>
      <template #way="{ row }"><span :title="row.way">{{ row.way }}</span></template>
      <template #what="{ row }">{{ row.what }}</template>
      <template #stage="{ row }"><StageLabel v-if="row.stage" :stage="row.stage" /></template>
      <template #rows="{ row }">{{ row.rows == null ? "" : count(row.rows) }}</template>
      <template #message="{ row }"
        >{{ row.message }}
        <RouterLink
          v-if="row.trip"
          class="font-semibold whitespace-nowrap text-marine underline"
          :to="`/trips/${row.trip}`"
          >trip {{ row.trip }}</RouterLink
        ></template
      >
      <template #after>
        <p v-if="first && !entries.length" class="soft p-5">Nothing like that has been done. Choose other filters.</p>
        <BusyButton
          v-if="journal.hasNextPage.value"
          type="button"
          class="m-3"
          :busy="journal.isFetchingNextPage.value"
          @click="journal.fetchNextPage()"
        >
          Older entries
        </BusyButton>
      </template>
    </DataTable>
  </div>
</template>
