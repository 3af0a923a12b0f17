<script setup lang="ts">
import { useEventListener } from "@vueuse/core";
import { computed, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";

import { onSignedOut, queryClient, serverLost } from "./api/client";
import { useHealth, useMay, useSession } from "./api/queries";
import { readAs } from "./parts/reading";
import SignInPage from "./signin/SignInPage.vue";
import { bring, pastedSheet, sending } from "./services/bringIn";
import FailedNote from "./shell/FailedNote.vue";
import FindDialog from "./shell/FindDialog.vue";
import FootLine from "./shell/FootLine.vue";
import { onLink } from "./services/download";
import { useFailed } from "./services/failed";
import { onKey, typing, useKeys } from "./services/keys";
import KeysDialog from "./shell/KeysDialog.vue";
import { dismiss, notices } from "./services/notices";
import PasswordDialog from "./people/PasswordDialog.vue";
import TopBar from "./shell/TopBar.vue";

const { data: session } = useSession();
const person = computed(() => session.value?.person);
watch(
  person,
  (now) => {
    readAs(now);
  },
  { immediate: true },
);
const mayPrepare = useMay("prepare");
const { data: health } = useHealth();
const { says: failed, again } = useFailed();
const router = useRouter();
const route = useRoute();
const finding = ref(false);
const keysOpen = ref(false);
const changing = ref(false);
const dropping = ref(false);
const chooser = ref<HTMLInputElement>();

onSignedOut.call = () => void queryClient.invalidateQueries({ queryKey: ["session"] });
useEventListener(window, "keydown", onKey);
useEventListener(document, "click", onLink);
useKeys("Everywhere", [
  { key: "O", says: "send out", run: () => void router.push("/send-out") },
  { key: "I", says: "bring in", run: () => chooser.value?.click() },
  {
    key: "Ctrl K",
    says: "find",
    run: () => {
      finding.value = true;
    },
  },
  {
    key: "?",
    says: "all keys",
    run: () => {
      keysOpen.value = true;
    },
  },
]);

const hasFile = (event: DragEvent): boolean => !!event.dataTransfer?.types.includes("Files");
useEventListener(window, "dragover", (event: DragEvent) => {
  if (!hasFile(event)) return;
  event.preventDefault();
  dropping.value = true;
});
useEventListener(window, "dragleave", (event: DragEvent) => {
  if (!event.relatedTarget) dropping.value = false;
});
useEventListener(window, "drop", (event: DragEvent) => {
  if (!hasFile(event)) return;
  event.preventDefault();
  dropping.value = false;
  const on = route.name === "trip" ? Number(route.params.id) : undefined;
  if (mayPrepare.value) void bring([...(event.dataTransfer?.files ?? [])], { on });
});
/** A block from a spreadsheet, pasted where nothing else takes it, is a sheet. */
useEventListener(window, "paste", (event: ClipboardEvent) => {
  if (event.defaultPrevented || typing(event.target) || document.querySelector('[role="dialog"]')) return;
  const file = pastedSheet(event.clipboardData?.getData("text/plain") ?? "");
  if (!file || !mayPrepare.value || !person.value) return;
  event.preventDefault();
  void bring(file);
});

function chose(event: Event): void {
  const input = event.target;
  if (!(input instanceof HTMLInputElement)) return;
  void bring([...(input.files ?? [])]);
  input.value = "";
}
</script>

<template>
  <div v-if="person && route.name !== 'choose-password'" class="flex h-full flex-col">
    <a href="#content" class="sr-only focus:not-sr-only">To the content</a>
    <TopBar :person="person" @find="finding = true" @keys="keysOpen = true" @password="changing = true" />
    <p v-if="serverLost" class="flex-none bg-held-tint px-4 py-1 font-semibold text-held" role="status">
      Vexo's server does not answer. Nothing is lost; it is tried again until it is back.
    </p>
    <p
      v-for="one in serverLost ? [] : (health?.wrong ?? [])"
      :key="one.says"
      class="flex-none bg-held-tint px-4 py-1 font-semibold text-held"
      role="status"
    >
      {{ one.says }}
    </p>
    <FailedNote v-if="!serverLost && failed" :says="failed" @again="again" />
    <main id="content" class="flex min-h-0 flex-1 flex-col" tabindex="-1">
      <RouterView :key="String(route.name)" @bring="chooser?.click()" />
    </main>
    <div class="notices" aria-live="polite">
      <p
        v-for="notice in notices"
        :key="notice.id"
        :class="{ bad: notice.bad }"
        :role="notice.bad ? 'alert' : undefined"
      >
        {{ notice.text }}
        <button type="button" class="btn sm" @click="dismiss(notice.id)">Close</button>
      </p>
    </div>
    <p
      v-if="sending.name"
      class="flex flex-none items-center gap-3 border-t border-rule bg-panel px-4 py-1.5"
      role="status"
    >
      Sending {{ sending.name }}…
      <progress class="w-60" :value="sending.share || undefined" aria-label="Progress" />
    </p>
    <FootLine />
    <input
      ref="chooser"
      type="file"
      multiple
      class="hidden"
      data-testid="file"
      tabindex="-1"
      aria-label="Bring a sheet in"
      accept=".xlsx,.xls,.ods,.csv,.tsv,.txt"
      @change="chose"
    />
    <div
      v-if="dropping"
      class="pointer-events-none fixed inset-0 z-50 grid place-items-center border-4 border-dashed border-marine bg-marine-tint/90"
    >
      <p class="text-2xl font-bold text-marine">
        Drop the sheet: Vexo reads it and finds its trip. Several files are one list.
      </p>
    </div>
    <FindDialog :open="finding" @close="finding = false" @bring="chooser?.click()" @keys="keysOpen = true" />
    <KeysDialog :open="keysOpen" @close="keysOpen = false" />
    <PasswordDialog :open="changing" @close="changing = false" />
  </div>
  <SignInPage v-else-if="session" :demo="session.demo" :sso="session.sso" />
  <FailedNote v-else-if="!serverLost && failed" :says="failed" @again="again" />
  <p v-else class="soft p-6" role="status">
    {{ serverLost ? "Vexo's server does not answer yet; it is tried again." : "Opening Vexo…" }}
  </p>
</template>
