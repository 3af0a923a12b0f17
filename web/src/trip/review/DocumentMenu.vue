<script setup lang="ts">
/** The plan as it is sent to whoever asked for the change: a workbook, a text file, a page to print. */
import { ref } from "vue";

import { withPart } from "@/api/part";

const props = defineProps<{ trip: number }>();
const menu = ref<HTMLDetailsElement>();
const address = (ending: string): string => withPart(`/api/trips/${props.trip}/document.${ending}`);
function close(): void {
  menu.value?.removeAttribute("open");
}
</script>

<template>
  <details ref="menu" class="relative" @keydown.esc="close">
    <summary class="btn list-none" data-testid="document">Plan as a document</summary>
    <ul class="documents" @click="close">
      <li><a :href="address('xlsx')" download>Workbook</a></li>
      <li><a :href="address('csv')" download>Text file (CSV)</a></li>
      <li><a :href="address('html')" target="_blank" rel="noopener">Page to print</a></li>
    </ul>
  </details>
</template>
