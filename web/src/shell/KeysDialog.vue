<script setup lang="ts">
import DialogFrame from "@/ui/DialogFrame.vue";

import { registered } from "@/services/keys";

defineProps<{ open: boolean }>();
defineEmits<{ close: [] }>();
</script>

<template>
  <DialogFrame :open="open" title="All keys here" @close="$emit('close')">
    <div class="grid max-h-[60vh] grid-cols-2 gap-6 overflow-auto">
      <section v-for="entry in [...registered].reverse()" :key="entry.group">
        <h3 class="soft mb-1 text-small font-bold">{{ entry.group }}</h3>
        <p v-for="key in entry.keys" :key="key.key" class="flex justify-between py-0.5">
          <span>{{ key.says }}</span><kbd>{{ key.key }}</kbd>
        </p>
      </section>
    </div>
    <button type="button" class="btn mt-4" @click="$emit('close')">Close <kbd>Esc</kbd></button>
  </DialogFrame>
</template>
