<script setup lang="ts">
import { keepPreviousData, useInfiniteQuery } from "@tanstack/vue-query";
import { computed, reactive } from "vue";

import { api, data } from "@/api/client";
import { useApplications } from "@/api/queries";
import { count, fullTime, many } from "@/parts/format";
import StageLabel from "@/parts/StageLabel.vue";
import { useFootNote } from "@/shell/foot";

defineEmits<{ bring: [] }>();
const asked = reactive({ who: "", what: "", application: "", text: "" });
const { data: applications } = useApplications();
const journal = useInfiniteQuery({
  queryKey: computed(() => ["journal", { ...asked }]),
  queryFn: ({ pageParam }) => data(api.GET("/api/journal", { params: { query: { ...asked, before: pageParam } } })),
  initialPageParam: "",
  getNextPageParam: (last) => (last.more ? String(last.entries.at(-1)?.id) : undefined),
  placeholderData: keepPreviousData,
  refetchInterval: 15_000,
});
const entries = computed(() => journal.data.value?.pages.flatMap((page) => page.entries) ?? []);
const first = computed(() => journal.data.value?.pages[0]);
useFootNote(() => `${many(entries.value.length, "entry", "entries")} shown · only ever added to`);
</script>

<template>
  <div class="where">
    <h1>Journal</h1>
    <span class="soft">who did what, when; nobody can change it</span>
  </div>
  <div class="flex min-h-0 flex-1 flex-col border-t border-rule bg-panel">
    <div class="tools">
      <select v-model="asked.who" class="chip" aria-label="Who">
        <option value="">Everyone</option>
        <option v-for="who in first?.people" :key="who">{{ who }}</option>
      </select>
      <select v-model="asked.what" class="chip" aria-label="What">
        <option value="">Everything</option>
        <option v-for="what in first?.kinds" :key="what">{{ what }}</option>
      </select>
      <select v-model="asked.application" class="chip" aria-label="Application">
        <option value="">All applications</option>
        <option v-for="a in applications" :key="a.name" :value="a.name">{{ a.label }}</option>
      </select>
      <input
        v-model.lazy="asked.text"
        type="search"
        class="input !min-h-6 !w-52 !py-0 text-[12.5px]"
        placeholder="Words in an entry"
        aria-label="Words in an entry"
      />
    </div>
    <div class="min-h-0 flex-1 overflow-auto" tabindex="0" role="region" aria-label="Entries">
      <table class="plain-table">
        <thead class="sticky top-0">
          <tr>
            <th>When</th>
            <th>Who</th>
            <th>What</th>
            <th>Where</th>
            <th class="!text-right">Rows</th>
            <th>In words</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="entry in entries" :key="entry.id">
            <td class="mono text-[12.5px] whitespace-nowrap">{{ fullTime(entry.at) }}</td>
            <td class="whitespace-nowrap">{{ entry.who }}</td>
            <td class="whitespace-nowrap">{{ entry.what }}</td>
            <td><StageLabel v-if="entry.stage" :stage="entry.stage" /></td>
            <td class="mono text-right">{{ entry.rows == null ? "" : count(entry.rows) }}</td>
            <td>
              {{ entry.said }}
              <RouterLink
                v-if="entry.trip"
                class="font-semibold whitespace-nowrap text-marine underline"
                :to="`/trips/${entry.trip}`"
                >trip {{ entry.trip }}</RouterLink
              >
            </td>
          </tr>
        </tbody>
      </table>
      <p v-if="first && !entries.length" class="soft p-5">Nothing like that has been done. Choose other filters.</p>
      <button v-if="journal.hasNextPage.value" type="button" class="btn m-3" @click="journal.fetchNextPage()">
        Older entries
      </button>
    </div>
  </div>
</template>
