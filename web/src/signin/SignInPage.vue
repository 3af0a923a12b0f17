<script setup lang="ts">
import { useQueryClient } from "@tanstack/vue-query";
import { ref } from "vue";
import { useRoute } from "vue-router";

import { api, data, type Schemas } from "@/api/client";
import BusyButton from "@/ui/BusyButton.vue";
import { useDoing } from "@/ui/doing";

import ChoosePassword from "./ChoosePassword.vue";

const props = defineProps<{ demo: Schemas["DemoPerson"][]; sso: Schemas["Sso"] | null }>();
const client = useQueryClient();
const route = useRoute();
const username = ref("");
/** Where passwords are off, the first administrator still has one. */
const byPassword = ref(props.sso?.passwords !== false);
const password = ref("");
const { start, busy, error } = useDoing(
  () => data(api.POST("/api/session", { body: { username: username.value, password: password.value } })),
  {
    done: (session) => {
      client.setQueryData(["session"], session);
    },
    failed: () => {},
  },
);

function as(person: Schemas["DemoPerson"]): void {
  username.value = person.username;
  password.value = person.password;
  start();
}
</script>

<template>
  <main class="grid h-full grid-cols-[minmax(0,1fr)_minmax(0,1fr)]">
    <section class="flex flex-col justify-center bg-marine-deep px-16 text-[#E9F1F1]">
      <svg width="72" height="72" viewBox="0 0 22 22" aria-hidden="true">
        <path d="M2 4 11 18 20 4" fill="none" stroke="#E8B04A" stroke-width="3.4" />
        <circle cx="2.8" cy="4" r="2.6" fill="#E9F1F1" />
        <circle cx="19.2" cy="4" r="2.6" fill="#E9F1F1" />
      </svg>
      <h1 class="mt-4 !text-hero leading-tight">Records out.<br />Records back in.</h1>
      <ul class="mt-6 grid gap-2 text-lead text-[#C4DADC]">
        <li>Every row is accounted for.</li>
        <li>Nothing is written that was not seen.</li>
        <li>What was written can be shown.</li>
      </ul>
    </section>
    <section class="flex flex-col justify-center px-16">
      <ChoosePassword v-if="route.name === 'choose-password'" />
      <form v-else class="grid max-w-sm gap-3" @submit.prevent="start()">
        <h2 class="!text-large">Sign in</h2>
        <template v-if="sso">
          <p v-if="sso.trouble" class="text-reject" role="alert">{{ sso.trouble }}</p>
          <a class="btn go justify-center" href="/api/sso/start" data-testid="sso">Sign in with {{ sso.provider }}</a>
          <button
            v-if="!byPassword"
            type="button"
            class="min-h-6 justify-self-start text-small text-marine underline"
            @click="byPassword = true"
          >
            The first administrator signs in with a password
          </button>
          <p v-else-if="sso.passwords" class="soft text-small">Or with a name and a password of Vexo's own.</p>
        </template>
        <template v-if="byPassword">
          <label
            ><span class="field-label">Name</span
            ><input v-model="username" class="input" name="username" autocomplete="username" required
          /></label>
          <label
            ><span class="field-label">Password</span
            ><input
              v-model="password"
              class="input"
              type="password"
              name="password"
              autocomplete="current-password"
              required
          /></label>
          <p v-if="error" class="text-reject" role="alert">{{ error.message }}</p>
          <BusyButton type="submit" class="justify-center" :class="{ go: !sso }" :busy="busy">Sign in</BusyButton>
        </template>
      </form>
      <div v-if="demo.length && route.name !== 'choose-password'" class="mt-8 max-w-sm">
        <h2>Or take a part in the demo</h2>
        <p class="soft mb-2 text-small">
          Made-up people of the Saltmarsh Harbours; the password of each is “{{ demo[0]?.password }}”.
        </p>
        <div class="grid gap-2">
          <button
            v-for="one in demo"
            :key="one.username"
            type="button"
            class="btn justify-between !py-2"
            @click="as(one)"
          >
            {{ one.name }} <span class="soft font-normal">{{ one.role_label }}</span>
          </button>
        </div>
      </div>
    </section>
  </main>
</template>
