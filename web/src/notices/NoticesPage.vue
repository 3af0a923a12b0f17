<script setup lang="ts">
/** What one is told that happened while one was elsewhere. */
import { useQuery } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";

import { api, data, queryClient, type Schemas } from "@/api/client";
import { fullTime, many } from "@/parts/format";
import { useFootNote } from "@/services/foot";
import AlertNote from "@/ui/AlertNote.vue";
import SidePanel from "@/ui/SidePanel.vue";

import NoticeWishes from "./NoticeWishes.vue";

defineEmits<{ bring: [] }>();
const { data: told, error } = useQuery({
  queryKey: ["notices"],
  queryFn: () => data(api.GET("/api/notices")),
  refetchInterval: 15_000,
  meta: { told: true },
});
/** What was new when the page was opened stays marked while one reads it. */
const fresh = ref(new Set<number>());
watch(
  () => told.value?.notices,
  async (notices) => {
    const unseen = (notices ?? []).filter((notice) => !notice.read_at).map((notice) => notice.id);
    if (!unseen.length) return;
    unseen.forEach((id) => fresh.value.add(id));
    const now = await data(api.POST("/api/notices", { body: { up_to: Math.max(...unseen) } }));
    queryClient.setQueryData(["notices"], now);
    queryClient.setQueryData(["unread"], { unread: now.unread });
  },
  { immediate: true },
);
const notices = computed<readonly Schemas["Notice"][]>(() => told.value?.notices ?? []);
useFootNote(() => (told.value ? many(notices.value.length, "notice", "notices") : ""));
</script>

<template>
  <div class="where">
    <h1>Notices</h1>
    <span class="soft">what happened while you were elsewhere</span>
  </div>
  <div class="work">
    <div class="main overflow-y-auto!">
      <AlertNote v-if="error" class="m-3">{{ error.message }}</AlertNote>
      <p v-if="told && !notices.length" class="soft p-5">
        Nothing yet. You are told here when somebody asks for your approval, when a pass of yours ends or was
        interrupted, and when a sheet comes back in on a trip of yours.
      </p>
      <ul class="divide-y divide-rule" aria-label="Notices">
        <li v-for="notice in notices" :key="notice.id" class="flex items-baseline gap-3 px-4 py-2.5">
          <span class="w-12 flex-none text-small font-semibold text-held">{{ fresh.has(notice.id) ? "new" : "" }}</span>
          <span class="min-w-0 flex-1" :class="{ 'font-semibold': fresh.has(notice.id) }"
            >{{ notice.text }}
            <RouterLink
              v-if="notice.trip"
              class="font-semibold whitespace-nowrap text-marine underline"
              :to="`/trips/${notice.trip}`"
              >to trip {{ notice.trip }}</RouterLink
            >
            <span v-if="notice.trouble" class="block text-small text-held"
              >Not sent by e-mail yet: {{ notice.trouble }}</span
            ></span
          >
          <span class="soft flex-none text-small">{{ notice.at ? fullTime(notice.at) : "" }}</span>
        </li>
      </ul>
    </div>
    <SidePanel label="What you are told"><NoticeWishes v-if="told" :told="told" /></SidePanel>
  </div>
</template>
