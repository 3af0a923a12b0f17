<script setup lang="ts">
/** The files of a list in parts; more can be added while it waits. */
import { ref } from "vue";

import { addParts } from "@/services/bringIn";

const props = defineProps<{ upload: number; files: string[]; disabled?: boolean }>();
const emit = defineEmits<{ added: [] }>();
const chooser = ref<HTMLInputElement>();
const busy = ref(false);
async function add(event: Event): Promise<void> {
  const input = event.target;
  if (!(input instanceof HTMLInputElement) || !input.files?.length) return;
  const files = [...input.files];
  input.value = "";
  busy.value = true;
  await addParts(props.upload, files);
  busy.value = false;
  emit("added");
}
</script>

<template>
  <section class="card" data-testid="parts">
    <b>{{ files.length > 1 ? `One list of ${files.length} files` : "One file" }}</b>
    <ul v-if="files.length > 1" class="text-small">
      <li v-for="name in files" :key="name" class="break-words">{{ name }}</li>
    </ul>
    <p v-else>A list in several files can be brought in as one: each row then names its file.</p>
    <button type="button" class="btn sm mt-2" :disabled="disabled || busy" @click="chooser?.click()">
      Add more files…
    </button>
    <input
      ref="chooser"
      type="file"
      multiple
      class="hidden"
      tabindex="-1"
      aria-label="More files of this list"
      @change="add"
    />
  </section>
</template>
