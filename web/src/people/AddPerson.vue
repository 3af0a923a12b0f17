<script setup lang="ts">
import { useQueryClient } from "@tanstack/vue-query";
import { onMounted, reactive, ref } from "vue";

import { api, data } from "@/api/client";
import { say } from "@/services/notices";
import AlertNote from "@/ui/AlertNote.vue";
import BusyButton from "@/ui/BusyButton.vue";
import ChoiceList from "@/ui/ChoiceList.vue";
import { useDoing } from "@/ui/doing";

import { type RoleName, ROLES } from "./roles";

const emit = defineEmits<{ done: [username: string]; close: [] }>();
const client = useQueryClient();
const form = reactive<{ username: string; name: string; role: RoleName; password: string }>({
  username: "",
  name: "",
  role: "viewer",
  password: "",
});
const first = ref<HTMLInputElement>();
onMounted(() => first.value?.focus());
const { start, busy, error } = useDoing(
  () => data(api.POST("/api/people", { body: { ...form, password: form.password || undefined } })),
  {
    done: async (made) => {
      await client.invalidateQueries({ queryKey: ["people"] });
      say(
        form.password
          ? `${made.name} can sign in now, as ${made.role_label.toLowerCase()}.`
          : `${made.name} is added. Make the link by which they choose a password.`,
      );
      emit("done", made.username);
    },
    failed: () => {},
  },
);
const roles = ROLES.map((role) => ({ value: role.value, label: role.label, note: role.may }));
</script>

<template>
  <form class="grid gap-3" @submit.prevent="start()">
    <h2>Add a person</h2>
    <label
      ><span class="field-label">Full name</span
      ><input ref="first" v-model="form.name" class="input" name="name" required maxlength="80" autocomplete="off"
    /></label>
    <label
      ><span class="field-label">Signs in as</span
      ><input
        v-model="form.username"
        class="input mono"
        name="new-username"
        required
        maxlength="150"
        autocomplete="off"
        spellcheck="false"
    /></label>
    <div>
      <span class="field-label">Role</span>
      <ChoiceList v-model="form.role" label="Role" :options="roles" />
    </div>
    <label
      ><span class="field-label">First password</span
      ><input
        v-model="form.password"
        class="input"
        type="password"
        name="new-password"
        autocomplete="new-password"
      /><span class="soft text-small"
        >At least ten characters. Left empty, they choose one by a link, which you make once they are added.</span
      ></label
    >
    <AlertNote v-if="error">{{ error.message }}</AlertNote>
    <div class="flex gap-2">
      <BusyButton type="submit" class="go" :busy="busy" says="Adding…">Add them</BusyButton>
      <button type="button" class="btn" @click="$emit('close')">Leave it</button>
    </div>
  </form>
</template>
