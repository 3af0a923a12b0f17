<script setup lang="ts">
/** Where someone is signed in, their tokens, and a link by which they choose a password. */
import { useQuery } from "@tanstack/vue-query";
import { computed, ref } from "vue";

import { api, data, queryClient, type Schemas } from "@/api/client";
import { count, fullTime, many } from "@/parts/format";
import { say } from "@/services/notices";
import BusyButton from "@/ui/BusyButton.vue";
import { useDoing } from "@/ui/doing";

const { someone } = defineProps<{ someone: Schemas["Someone"] }>();
const params = computed(() => ({ path: { username: someone.username } }));
const { data: access } = useQuery({
  queryKey: computed(() => ["access", someone.username]),
  queryFn: () => data(api.GET("/api/people/{username}/access", { params: params.value })),
});
const after = () => queryClient.invalidateQueries({ queryKey: ["access"] });
const link = ref("");
const linking = useDoing(() => data(api.POST("/api/people/{username}/link", { params: params.value })), {
  done: (made) => {
    link.value = `${window.location.origin}${made.path}`;
  },
});
const signingOut = useDoing(() => data(api.DELETE("/api/people/{username}/access", { params: params.value })), {
  done: (told) => {
    say(`${someone.name} was signed out of ${many(told.ended, "browser", "browsers")}.`);
  },
  after,
});
const withdrawing = useDoing(
  (id: number) =>
    api.DELETE("/api/people/{username}/access/tokens/{id}", {
      params: { path: { username: someone.username, id } },
    }),
  { after },
);
async function copy(): Promise<void> {
  await navigator.clipboard.writeText(link.value);
  say("The link is copied.");
}
</script>

<template>
  <section class="card grid gap-2">
    <b>A link to choose a password</b>
    <template v-if="link">
      <code class="mono rounded bg-sunk p-2 text-data break-all" data-testid="link">{{ link }}</code>
      <p>Give it to {{ someone.name }} alone. It is valid once, for a day.</p>
      <button type="button" class="btn sm justify-self-start" @click="copy">Copy it</button>
    </template>
    <template v-else>
      <p>They choose it themselves, and you never know it.</p>
      <BusyButton type="button" class="sm justify-self-start" :busy="linking.busy.value" @click="linking.start()"
        >Make the link</BusyButton
      >
    </template>
  </section>
  <section v-if="access" class="card grid gap-2">
    <b>Signed in</b>
    <p v-if="!access.sessions.length">Nowhere.</p>
    <template v-else>
      <p>
        In {{ many(access.sessions.length, "browser", "browsers") }}, last used
        {{ access.sessions[0]?.used_at ? fullTime(access.sessions[0].used_at) : "some time ago" }}.
      </p>
      <BusyButton type="button" class="sm justify-self-start" :busy="signingOut.busy.value" @click="signingOut.start()"
        >Sign {{ someone.name }} out everywhere</BusyButton
      >
    </template>
    <template v-if="access.tokens.length">
      <b>{{ count(access.tokens.length) }} tokens for scripts</b>
      <p v-for="token in access.tokens" :key="token.id" class="flex items-center gap-2">
        <span class="min-w-0 flex-1 truncate"
          >{{ token.name }}, {{ token.role_label.toLowerCase() }}, until {{ fullTime(token.ends_at) }}</span
        >
        <button
          type="button"
          class="btn sm"
          :aria-label="`Withdraw ${token.name}`"
          :disabled="withdrawing.busy.value"
          @click="withdrawing.start(token.id)"
        >
          Withdraw
        </button>
      </p>
    </template>
  </section>
</template>
