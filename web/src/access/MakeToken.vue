<script setup lang="ts">
/** A new token for scripts: its text is shown this once. */
import { computed, reactive, ref } from "vue";

import { api, data, queryClient } from "@/api/client";
import { useSession } from "@/api/queries";
import { fullTime } from "@/parts/format";
import { type RoleName, ROLES } from "@/people/roles";
import { say } from "@/services/notices";
import AlertNote from "@/ui/AlertNote.vue";
import BusyButton from "@/ui/BusyButton.vue";
import ChoiceList from "@/ui/ChoiceList.vue";
import { useDoing } from "@/ui/doing";

const { data: session } = useSession();
const form = reactive<{ name: string; role: RoleName; days: number }>({ name: "", role: "viewer", days: 90 });
const own = computed(() => ROLES.findIndex((role) => role.value === session.value?.person?.role));
const roles = computed(() =>
  ROLES.slice(0, own.value + 1).map((role) => ({ value: role.value, label: role.label, note: role.may })),
);
const made = ref<{ name: string; token: string; ends_at: string }>();
const { start, busy, error } = useDoing(() => data(api.POST("/api/access/tokens", { body: { ...form } })), {
  failed: () => {},
  done: async (token) => {
    made.value = token;
    form.name = "";
    await queryClient.invalidateQueries({ queryKey: ["access"] });
  },
});
async function copy(): Promise<void> {
  if (!made.value) return;
  await navigator.clipboard.writeText(made.value.token);
  say("The token is copied.");
}
</script>

<template>
  <section v-if="made" class="card grid gap-2" aria-live="polite" data-testid="new-token">
    <b>{{ made.name }}</b>
    <p class="font-semibold text-ink">Keep it now: it is shown this once.</p>
    <code class="mono rounded bg-sunk p-2 text-data break-all" data-testid="token">{{ made.token }}</code>
    <p>It ends {{ fullTime(made.ends_at) }}. A script shows it as <code>Authorization: Bearer …</code></p>
    <div class="flex gap-2">
      <button type="button" class="btn sm go" @click="copy">Copy it</button>
      <button type="button" class="btn sm" @click="made = undefined">I have it</button>
    </div>
  </section>
  <form v-else class="grid gap-3" @submit.prevent="start()">
    <h2>Make a token</h2>
    <p>With it a script uses the API for you. What it does stands in the journal under your name and the token's.</p>
    <label
      ><span class="field-label">Name</span
      ><input
        v-model="form.name"
        class="input"
        name="token-name"
        required
        maxlength="60"
        autocomplete="off"
        placeholder="nightly tariff"
    /></label>
    <div>
      <span class="field-label">May do at most what this role may</span>
      <ChoiceList v-model="form.role" label="The most that it may do" :options="roles" />
    </div>
    <label
      ><span class="field-label">Ends after days</span
      ><input v-model.number="form.days" class="input" type="number" name="token-days" min="1" max="366" required
    /></label>
    <AlertNote v-if="error">{{ error.message }}</AlertNote>
    <BusyButton type="submit" class="go justify-self-start" :busy="busy" says="Making it…">Make it</BusyButton>
  </form>
</template>
