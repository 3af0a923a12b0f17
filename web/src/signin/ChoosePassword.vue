<script setup lang="ts">
/** Choosing a password by a link. What makes the link is behind the # of the address, which no server is told. */
import { useQueryClient } from "@tanstack/vue-query";
import { ref } from "vue";
import { useRouter } from "vue-router";

import { api, data } from "@/api/client";
import AlertNote from "@/ui/AlertNote.vue";
import BusyButton from "@/ui/BusyButton.vue";
import { useDoing } from "@/ui/doing";

const router = useRouter();
const client = useQueryClient();
const [username = "", link = ""] = decodeURIComponent(window.location.hash.slice(1)).split("/");
const password = ref("");
const { start, busy, error } = useDoing(
  async () => {
    await api.POST("/api/session/link", { body: { username, link, password: password.value } });
    return data(api.POST("/api/session", { body: { username, password: password.value } }));
  },
  {
    failed: () => {},
    done: async (session) => {
      await router.replace("/");
      client.setQueryData(["session"], session);
    },
  },
);
</script>

<template>
  <form class="grid max-w-sm gap-3" @submit.prevent="start()">
    <h2 class="!text-large">Choose a password</h2>
    <template v-if="username && link">
      <p>You sign in as <b class="mono">{{ username }}</b>.</p>
      <input class="hidden" name="username" autocomplete="username" :value="username" readonly tabindex="-1" />
      <label
        ><span class="field-label">Your password</span
        ><input
          v-model="password"
          class="input"
          type="password"
          name="new-password"
          autocomplete="new-password"
          required
        /><span class="soft text-small">At least ten characters, and not one that others think of first.</span></label
      >
      <AlertNote v-if="error">{{ error.message }}</AlertNote>
      <BusyButton type="submit" class="go justify-center" :busy="busy">Choose it, and sign in</BusyButton>
    </template>
    <AlertNote v-else>This link is not whole. Open it exactly as it was sent, or ask for another.</AlertNote>
  </form>
</template>
