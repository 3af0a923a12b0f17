<script setup lang="ts">
/** One person: another role, a new password, and taking their way in. */
import { useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";

import { api, data, type Schemas } from "@/api/client";
import { fullTime } from "@/parts/format";
import { say } from "@/services/notices";
import AlertNote from "@/ui/AlertNote.vue";
import BusyButton from "@/ui/BusyButton.vue";
import ChoiceList from "@/ui/ChoiceList.vue";
import { useDoing } from "@/ui/doing";

import { type RoleName, ROLES } from "./roles";
import TheirAccess from "./TheirAccess.vue";

const props = defineProps<{ someone: Schemas["Someone"] }>();
const emit = defineEmits<{ gone: [] }>();
const client = useQueryClient();
const password = ref("");
const removing = ref(false);
const params = computed(() => ({ path: { username: props.someone.username } }));
const roles = ROLES.map((role) => ({ value: role.value, label: role.label, note: role.may }));
const anew = async (): Promise<void> => {
  await client.invalidateQueries({ queryKey: ["people"] });
  await client.invalidateQueries({ queryKey: ["session"] });
};

const giving = useDoing(
  (role: RoleName) => data(api.PATCH("/api/people/{username}", { params: params.value, body: { role } })),
  {
    done: (now) => {
      say(`${now.name} is ${now.role_label.toLowerCase()} now.`);
    },
    failed: () => {},
    after: anew,
  },
);
const changing = useDoing(
  () => data(api.PATCH("/api/people/{username}", { params: params.value, body: { password: password.value } })),
  {
    done: (now) => {
      password.value = "";
      say(`${now.name} has a new password, and is signed out everywhere.`);
    },
    failed: () => {},
    after: anew,
  },
);
const leaving = useDoing(() => api.DELETE("/api/people/{username}", { params: params.value }), {
  done: async () => {
    say(`${props.someone.name} can no longer sign in.`);
    await anew();
    emit("gone");
  },
  failed: () => {},
});
</script>

<template>
  <h2>{{ someone.name }}</h2>
  <p>
    Signs in as <b class="mono text-ink">{{ someone.username }}</b>.
    {{ someone.last_login ? `Last ${fullTime(someone.last_login)}.` : "Has not signed in yet." }}
  </p>
  <section class="card">
    <b class="mb-1 block">Role</b>
    <ChoiceList
      :model-value="someone.role ?? 'viewer'"
      label="Role"
      :options="roles"
      :disabled="giving.busy.value"
      @chosen="giving.start($event)"
    />
    <AlertNote v-if="giving.error.value" class="mt-2">{{ giving.error.value.message }}</AlertNote>
  </section>
  <form class="card grid gap-2" @submit.prevent="changing.start()">
    <label
      ><span class="field-label">A new password</span
      ><input
        v-model="password"
        class="input"
        type="password"
        name="their-password"
        autocomplete="new-password"
        required
    /></label>
    <AlertNote v-if="changing.error.value">{{ changing.error.value.message }}</AlertNote>
    <BusyButton type="submit" class="sm justify-self-start" :busy="changing.busy.value">Set this password</BusyButton>
  </form>
  <TheirAccess :someone="someone" />
  <section class="card grid gap-2">
    <b>Remove access</b>
    <p>They are signed out at once and cannot sign in again. What they did stays written down under their name.</p>
    <AlertNote v-if="leaving.error.value">{{ leaving.error.value.message }}</AlertNote>
    <button v-if="!removing" type="button" class="btn sm justify-self-start" @click="removing = true">
      Remove {{ someone.name }}…
    </button>
    <div v-else class="flex flex-wrap gap-2">
      <BusyButton type="button" class="sm warn" :busy="leaving.busy.value" @click="leaving.start()"
        >Yes, remove {{ someone.name }}</BusyButton
      >
      <button type="button" class="btn sm" @click="removing = false">Leave it</button>
    </div>
  </section>
</template>
