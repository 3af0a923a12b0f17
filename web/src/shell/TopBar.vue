<script setup lang="ts">
import { Menu, MenuButton, MenuItem, MenuItems } from "@headlessui/vue";
import { useQueryClient } from "@tanstack/vue-query";
import { computed } from "vue";

import { api, type Schemas } from "@/api/client";
import { useMay, useUnread } from "@/api/queries";

const props = defineProps<{ person: Schemas["Person"] }>();
defineEmits<{ find: []; keys: []; password: [] }>();
const client = useQueryClient();
const mayPeople = useMay("people");
const mayTidy = useMay("tidy");
const { data: news } = useUnread();
const unread = computed(() => news.value?.unread ?? 0);
const initials = computed(() =>
  (props.person.name || props.person.username || "?")
    .split(/\s+/)
    .map((part) => part[0])
    .join("")
    .slice(0, 2)
    .toUpperCase(),
);

async function signOut(): Promise<void> {
  await api.DELETE("/api/session");
  client.clear();
  window.location.assign("/");
}
/** The main pages, each with the names of what belongs to it: a trip is one of Trips, also while it is sent out. */
const pages = computed(() => [
  { to: "/", title: "Trips", names: ["home", "trip", "send-out", "sheet"] },
  { to: "/routes", title: "Routes", names: ["routes"] },
  { to: "/applications", title: "Applications", names: ["applications"] },
  { to: "/journal", title: "Journal", names: ["journal"] },
  ...(mayPeople.value ? [{ to: "/people", title: "People", names: ["people"] }] : []),
  ...(mayTidy.value ? [{ to: "/upkeep", title: "Upkeep", names: ["upkeep"] }] : []),
]);
</script>

<template>
  <header class="top">
    <RouterLink to="/" class="flex items-center gap-2 text-title font-bold" aria-label="Vexo, to the trips">
      <svg width="22" height="22" viewBox="0 0 22 22" aria-hidden="true">
        <path d="M2 4 11 18 20 4" fill="none" stroke="#E8B04A" stroke-width="3.4" />
        <circle cx="2.8" cy="4" r="2.6" fill="#E9F1F1" />
        <circle cx="19.2" cy="4" r="2.6" fill="#E9F1F1" />
      </svg>
      Vexo
    </RouterLink>
    <nav class="flex gap-[22px]" aria-label="Main">
      <RouterLink
        v-for="page in pages"
        :key="page.to"
        :to="page.to"
        :class="{ here: page.names.includes(String($route.name)) }"
        :aria-current="page.names.includes(String($route.name)) ? 'page' : undefined"
        >{{ page.title }}</RouterLink
      >
    </nav>
    <span class="flex-1" />
    <button type="button" class="find" @click="$emit('find')">
      <span class="truncate">Find a trip, application or command</span><kbd>Ctrl K</kbd>
    </button>
    <RouterLink to="/notices" class="news"
      >Notices <b v-if="unread">{{ unread > 99 ? "99+" : unread }}<span class="sr-only"> new</span></b></RouterLink
    >
    <Menu as="div" class="relative">
      <MenuButton class="who" :aria-label="`${initials}, ${person.name}, ${person.role_label}`">{{
        initials
      }}</MenuButton>
      <MenuItems
        class="absolute right-0 z-40 mt-1 w-60 rounded-lg border border-rule bg-panel p-1 text-ink shadow-xl focus:outline-none"
      >
        <div class="px-3 py-2">
          <b>{{ person.name }}</b>
          <div class="soft text-small">{{ person.role_label }}</div>
        </div>
        <MenuItem v-slot="{ active }">
          <button
            class="w-full rounded px-3 py-1.5 text-left"
            :class="{ 'bg-marine-tint': active }"
            @click="$emit('keys')"
          >
            All keys
          </button>
        </MenuItem>
        <MenuItem v-slot="{ active }">
          <RouterLink
            to="/access"
            class="block w-full rounded px-3 py-1.5 text-left"
            :class="{ 'bg-marine-tint': active }"
          >
            Your access
          </RouterLink>
        </MenuItem>
        <MenuItem v-slot="{ active }">
          <button
            class="w-full rounded px-3 py-1.5 text-left"
            :class="{ 'bg-marine-tint': active }"
            @click="$emit('password')"
          >
            Change your password…
          </button>
        </MenuItem>
        <MenuItem v-slot="{ active }">
          <button class="w-full rounded px-3 py-1.5 text-left" :class="{ 'bg-marine-tint': active }" @click="signOut">
            Sign out
          </button>
        </MenuItem>
      </MenuItems>
    </Menu>
  </header>
</template>
