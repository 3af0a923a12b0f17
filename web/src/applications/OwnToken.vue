<script setup lang="ts">
/** The token under which what one writes in an application goes, where it asks each person for one. */
import { computed, ref } from "vue";

import { api, type Application, data, queryClient } from "@/api/client";
import { fullTime } from "@/parts/format";
import BusyButton from "@/ui/BusyButton.vue";
import { useDoing } from "@/ui/doing";

const { application } = defineProps<{ application: Application }>();
const token = ref("");
const params = computed(() => ({ path: { name: application.name } }));
const after = () => queryClient.invalidateQueries();
const giving = useDoing(
  () => data(api.PUT("/api/applications/{name}/token", { params: params.value, body: { token: token.value } })),
  {
    failed: () => {},
    done: () => {
      token.value = "";
    },
    after,
  },
);
const withdrawing = useDoing(() => data(api.DELETE("/api/applications/{name}/token", { params: params.value })), {
  after,
});
</script>

<template>
  <section class="flex flex-none flex-wrap items-center gap-3 border-b border-rule px-4 py-2" data-testid="own-token">
    <template v-if="application.token_given_at">
      <p>What you read and write here goes under your own token, given {{ fullTime(application.token_given_at) }}.</p>
      <button
        type="button"
        class="btn sm"
        :disabled="withdrawing.busy.value"
        data-testid="withdraw-token"
        @click="withdrawing.start()"
      >
        Withdraw it
      </button>
    </template>
    <form v-else class="flex flex-wrap items-center gap-3" @submit.prevent="giving.start()">
      <label class="flex items-center gap-2"
        ><b class="text-held">It asks each person for a token of their own</b
        ><input v-model="token" class="input mono !w-64" type="password" autocomplete="off" name="own-token" required
      /></label>
      <BusyButton class="go sm" :busy="giving.busy.value" says="Trying it…" data-testid="give-token"
        >Give yours</BusyButton
      >
      <span class="soft text-small">Kept encrypted, never shown. Without it you can prepare, and apply nothing.</span>
      <p v-if="giving.error.value" class="w-full font-semibold text-reject" role="alert">
        {{ giving.error.value.message }}
      </p>
    </form>
  </section>
</template>
