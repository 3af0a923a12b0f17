<script setup lang="ts">
/** What waits, who brought it, and the two things that can become of it. */
import type { Schemas } from "@/api/client";
import { many, when } from "@/parts/format";
import BusyButton from "@/ui/BusyButton.vue";

defineProps<{
  sheet: Schemas["WaitingDetail"];
  mayPrepare: boolean;
  coming: boolean;
  ready: boolean;
  leaving: boolean;
}>();
defineEmits<{ leave: []; bring: [] }>();
</script>

<template>
  <div class="where">
    <h1>
      {{ sheet.name
      }}<template v-if="sheet.files.length > 1">
        and {{ many(sheet.files.length - 1, "more file", "more files") }}</template
      >
    </h1>
    <span class="soft"
      >dropped {{ when(sheet.began_at) }} by {{ sheet.by.name }} · nothing has been asked or written yet</span
    >
    <span v-if="sheet.trip == null && mayPrepare" class="ml-auto flex min-h-8 gap-2">
      <button type="button" class="btn" :disabled="leaving" @click="$emit('leave')">Leave it</button>
      <BusyButton class="go" :busy="coming" :disabled="!ready" says="Bringing it in…" @click="$emit('bring')">
        Bring it in
      </BusyButton>
    </span>
  </div>
</template>
