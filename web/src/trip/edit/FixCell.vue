<script setup lang="ts">
/** Put a cell right where its reason is read. */
import { ref, watch } from "vue";

import type { Cell, Column } from "@/api/client";

import { useEditing } from "./editing";

const props = defineProps<{ rowId: number; column: Column; cell: Cell | undefined }>();
const { edit, open } = useEditing();
const standing = () => (props.cell?.edited_since ? props.cell.text_now : props.cell?.text) ?? "";
const text = ref(standing());
watch(
  () => [props.rowId, props.column.column, props.cell?.text_now, props.cell?.text],
  () => (text.value = standing()),
);
const save = (): void => {
  edit({ kind: "cell", row_id: props.rowId, column: props.column.column, text: text.value });
};
</script>

<template>
  <form class="grid gap-1" data-testid="fix" @submit.prevent="save()">
    <label
      ><span class="field-label">In the cell of {{ column.header || column.label }}</span>
      <input v-model="text" class="input mono" name="fix" autocomplete="off"
    /></label>
    <span class="flex items-center gap-2">
      <button type="submit" class="btn sm go" :disabled="!open || !!cell?.characters || text === standing()">
        Put it right
      </button>
      <span v-if="cell?.edited_since" class="text-small font-semibold text-create"
        >fixed, to be sent again (was <span class="mono">{{ cell?.text ?? "blank" }}</span>)</span
      >
    </span>
  </form>
</template>
