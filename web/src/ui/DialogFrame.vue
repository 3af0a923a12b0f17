<script setup lang="ts">
/** The one kind of window over the page: it takes the focus, keeps it, and gives it back. */
import { Dialog, DialogPanel, DialogTitle } from "@headlessui/vue";

defineProps<{ open: boolean; title?: string; label?: string; high?: boolean }>();
defineEmits<{ close: [] }>();
</script>

<template>
  <Dialog :open="open" class="relative z-50" @close="$emit('close')">
    <div class="fixed inset-0 bg-ink/40" aria-hidden="true" />
    <div class="fixed inset-0 flex justify-center" :class="high ? 'items-start p-16' : 'items-center p-6'">
      <DialogPanel class="dialog" :class="{ '!p-2': high }" :aria-label="label">
        <DialogTitle v-if="title || $slots.title" as="h2" class="mb-2 flex items-center gap-3 !text-title"
          ><slot name="title">{{ title }}</slot></DialogTitle
        >
        <slot />
      </DialogPanel>
    </div>
  </Dialog>
</template>
