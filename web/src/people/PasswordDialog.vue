<script setup lang="ts">
/** One's own password, anew. */
import { reactive, watch } from "vue";

import { api } from "@/api/client";
import { say } from "@/services/notices";
import AlertNote from "@/ui/AlertNote.vue";
import BusyButton from "@/ui/BusyButton.vue";
import DialogFrame from "@/ui/DialogFrame.vue";
import { useDoing } from "@/ui/doing";

const props = defineProps<{ open: boolean }>();
const emit = defineEmits<{ close: [] }>();
const typed = reactive({ old: "", new: "" });
const { start, busy, error, forget } = useDoing(() => api.PUT("/api/session/password", { body: { ...typed } }), {
  done: () => {
    say("You have a new password. Elsewhere you are signed out.");
    emit("close");
  },
  failed: () => {},
});
watch(
  () => props.open,
  () => {
    Object.assign(typed, { old: "", new: "" });
    forget();
  },
);
</script>

<template>
  <DialogFrame :open="open" title="Change your password" @close="$emit('close')">
    <form class="grid gap-3" @submit.prevent="start()">
      <label
        ><span class="field-label">Your password now</span
        ><input v-model="typed.old" class="input" type="password" autocomplete="current-password" required
      /></label>
      <label
        ><span class="field-label">The new one</span
        ><input v-model="typed.new" class="input" type="password" autocomplete="new-password" required /><span
          class="soft text-small"
          >At least ten characters, and not one that others think of first.</span
        ></label
      >
      <AlertNote v-if="error">{{ error.message }}</AlertNote>
      <div class="flex gap-2">
        <BusyButton type="submit" class="go" :busy="busy">Change it</BusyButton>
        <button type="button" class="btn" @click="$emit('close')">Leave it <kbd>Esc</kbd></button>
      </div>
    </form>
  </DialogFrame>
</template>
