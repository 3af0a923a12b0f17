<script setup lang="ts">
/** One's own access: where one is signed in, and tokens for scripts. */
import { useQuery } from "@tanstack/vue-query";
import { computed } from "vue";

import { api, data, queryClient } from "@/api/client";
import { many } from "@/parts/format";
import { useFootNote } from "@/services/foot";
import { say } from "@/services/notices";
import AlertNote from "@/ui/AlertNote.vue";
import BusyButton from "@/ui/BusyButton.vue";
import { useDoing } from "@/ui/doing";
import SidePanel from "@/ui/SidePanel.vue";

import MakeToken from "./MakeToken.vue";
import ReadingForm from "./ReadingForm.vue";
import SessionTable from "./SessionTable.vue";
import TokenTable from "./TokenTable.vue";

defineEmits<{ bring: [] }>();
const { data: access, error } = useQuery({
  queryKey: ["access"],
  queryFn: () => data(api.GET("/api/access")),
  meta: { told: true },
});
const after = () => queryClient.invalidateQueries({ queryKey: ["access"] });
const others = computed(() => access.value?.sessions.filter((one) => !one.this).length ?? 0);
const ending = useDoing(
  (number: string) => data(api.DELETE("/api/access/sessions/{number}", { params: { path: { number } } })),
  {
    done: () => {
      say("Signed out there.");
    },
    after,
  },
);
const endingOthers = useDoing(() => data(api.DELETE("/api/access/sessions")), {
  done: (told) => {
    say(`Signed out of ${many(told.ended, "other browser", "other browsers")}.`);
  },
  after,
});
const withdrawing = useDoing((pk: number) => api.DELETE("/api/access/tokens/{id}", { params: { path: { id: pk } } }), {
  done: () => {
    say("The token is withdrawn: it is worth nothing from now on.");
  },
  after,
});
useFootNote(() =>
  access.value
    ? `${many(access.value.sessions.length, "browser", "browsers")}, ${many(access.value.tokens.length, "token", "tokens")}`
    : "",
);
</script>

<template>
  <div class="where">
    <h1>Your access</h1>
    <span class="soft">where you are signed in, how you read numbers, and tokens with which scripts act for you</span>
  </div>
  <div class="work">
    <div class="main overflow-y-auto!">
      <AlertNote v-if="error" class="m-3">{{ error.message }}</AlertNote>
      <template v-if="access">
        <section class="grid gap-2 p-4" aria-labelledby="signed-in">
          <div class="flex items-center gap-3">
            <h2 id="signed-in">Signed in</h2>
            <BusyButton
              v-if="others"
              type="button"
              class="sm ml-auto"
              :busy="endingOthers.busy.value"
              @click="endingOthers.start()"
              >Sign out everywhere but here</BusyButton
            >
          </div>
          <SessionTable :sessions="access.sessions" :ending="ending.busy.value" @end="ending.start($event)" />
        </section>
        <ReadingForm />
        <section class="grid gap-2 border-t border-rule p-4" aria-labelledby="tokens">
          <h2 id="tokens">Tokens for scripts</h2>
          <TokenTable
            :tokens="access.tokens"
            :withdrawing="withdrawing.busy.value"
            @withdraw="withdrawing.start($event)"
          />
          <p v-if="!access.tokens.length" class="soft">
            None. A script that sends records out at night, or brings a sheet in, needs one: make it beside.
          </p>
          <p class="soft text-small">
            How a script works with Vexo: <a class="text-marine underline" href="/api/docs">the API, described</a>.
          </p>
        </section>
      </template>
    </div>
    <SidePanel label="Make a token"><MakeToken /></SidePanel>
  </div>
</template>
