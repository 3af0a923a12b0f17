<script setup lang="ts">
/** Which kinds one wants to be told of, in the list and by e-mail. */
import { ref, watch } from "vue";

import { api, data, queryClient, type Schemas } from "@/api/client";
import { say } from "@/services/notices";
import AlertNote from "@/ui/AlertNote.vue";
import BusyButton from "@/ui/BusyButton.vue";
import { useDoing } from "@/ui/doing";

const { told } = defineProps<{ told: Schemas["Notices"] }>();
interface Wished {
  kind: Schemas["Wish"]["kind"];
  says: string;
  listed: boolean;
  mailed: boolean;
}
const email = ref(told.email);
const wishes = ref<Wished[]>([]);
watch(
  () => told.wishes,
  (now) => {
    wishes.value = now.map((wish) => ({
      kind: wish.kind,
      says: wish.says,
      listed: wish.listed ?? true,
      mailed: wish.mailed ?? false,
    }));
  },
  { immediate: true },
);
const { start, busy, error } = useDoing(
  () => {
    const said = wishes.value.map(({ kind, listed, mailed }) => ({ kind, listed, mailed }));
    return data(api.PUT("/api/notices", { body: { email: email.value, wishes: said } }));
  },
  {
    failed: () => {},
    done: (now) => {
      queryClient.setQueryData(["notices"], now);
      say("From now on you are told so.");
    },
  },
);
</script>

<template>
  <h2>What you are told</h2>
  <p v-if="!wishes.length">Your role looks only, so there is nothing to tell you.</p>
  <form v-else class="grid gap-3" @submit.prevent="start()">
    <label
      ><span class="field-label">Your e-mail address</span
      ><input v-model="email" class="input" type="email" name="email" autocomplete="email" maxlength="254"
    /></label>
    <p v-if="!told.can_mail" class="font-semibold text-held">
      No e-mail goes from here yet: its administrator says the mail server when Vexo is started (VEXO_SMTP).
    </p>
    <table class="plain-table">
      <thead>
        <tr>
          <th>When</th>
          <th>Here</th>
          <th>E-mail</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="wish in wishes" :key="wish.kind" class="[&>td]:align-middle">
          <td>{{ wish.says }}</td>
          <td>
            <input v-model="wish.listed" type="checkbox" class="h-6 w-6" :aria-label="`Here, when ${wish.says}`" />
          </td>
          <td>
            <input v-model="wish.mailed" type="checkbox" class="h-6 w-6" :aria-label="`By e-mail, when ${wish.says}`" />
          </td>
        </tr>
      </tbody>
    </table>
    <AlertNote v-if="error">{{ error.message }}</AlertNote>
    <BusyButton type="submit" class="go justify-self-start" :busy="busy">Keep it so</BusyButton>
  </form>
</template>
