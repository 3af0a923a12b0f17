<script setup lang="ts">
import { Dialog, DialogPanel, DialogTitle } from "@headlessui/vue";

import { registered } from "./keys";

defineProps<{ open: boolean }>();
defineEmits<{ close: [] }>();
</script>

<template>
  <Dialog :open="open" class="relative z-50" @close="$emit('close')">
    <div class="fixed inset-0 bg-ink/40" aria-hidden="true" />
    <div class="fixed inset-0 grid place-items-center p-6">
      <DialogPanel class="dialog">
        <DialogTitle as="h2" class="mb-3">All keys here</DialogTitle>
        <div class="grid max-h-[60vh] grid-cols-2 gap-6 overflow-auto">
          <section v-for="entry in [...registered].reverse()" :key="entry.group">
            <h3 class="soft mb-1 text-[13px] font-bold">{{ entry.group }}</h3>
            <p v-for="key in entry.keys" :key="key.key" class="flex justify-between py-0.5">
              <span>{{ key.says }}</span><kbd>{{ key.key }}</kbd>
            </p>
          </section>
        </div>
        <button type="button" class="btn mt-4" @click="$emit('close')">Close <kbd>Esc</kbd></button>
      </DialogPanel>
    </div>
  </Dialog>
</template>
