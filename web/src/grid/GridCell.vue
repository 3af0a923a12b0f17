<script setup lang="ts">
import { computed, nextTick, ref, type VNode, watch } from "vue";

import type { Cell } from "@/api/client";

import { count } from "@/parts/format";

import type { GridColumn } from "./columns";

const props = defineProps<{
  cell: Cell | undefined;
  column: GridColumn;
  fault: boolean;
  whole?: boolean;
  /** The cell is being typed in. */
  typing?: boolean;
}>();
const emit = defineEmits<{ typed: [text: string, step: "down" | "right" | "stay"]; left: [] }>();
const text = ref("");
watch(
  () => props.typing,
  (typing) => {
    if (typing) text.value = (props.cell?.edited_since ? props.cell.text_now : props.cell?.text) ?? "";
  },
  { immediate: true },
);
const focus = ({ el }: VNode): void => {
  if (!(el instanceof HTMLInputElement)) return;
  el.focus();
  // Its text is put in after this.
  void nextTick(() => {
    el.select();
  });
};
let over = false;
watch(
  () => props.typing,
  () => (over = false),
);
function end(step: "down" | "right" | "stay"): void {
  if (over) return;
  over = true;
  if (text.value === ((props.cell?.edited_since ? props.cell.text_now : props.cell?.text) ?? "")) emit("left");
  else emit("typed", text.value, step);
}
function leave(): void {
  over = true;
  emit("left");
}
const changed = computed(() => ["write", "held", "treated"].includes(props.cell?.action ?? ""));
const title = computed(() => {
  const { cell } = props;
  if (!cell) return "";
  return changed.value && !props.whole ? `${cell.current ?? "empty"} → ${cell.proposed ?? "empty"}` : (cell.text ?? "");
});
const inPart = computed(() => (props.cell?.characters ? `… ${count(props.cell.characters)} characters in all` : ""));
</script>

<template>
  <div
    role="gridcell"
    class="grid-td"
    :class="[
      cell?.action,
      {
        edited: cell?.edited,
        num: column.number,
        key: column.isKey,
        dim: column.dim,
        fault: fault && cell?.action !== 'unreadable',
      },
    ]"
    :title="title"
  >
    <input
      v-if="typing"
      v-model="text"
      class="grid-input"
      autocomplete="off"
      :aria-label="`${column.title}, edit`"
      @vue:mounted="focus"
      @keydown.enter.prevent.stop="end('down')"
      @keydown.tab.prevent.stop="end('right')"
      @keydown.esc.prevent.stop="leave()"
      @keydown.stop
      @paste.stop
      @click.stop
      @blur="end('stay')"
    />
    <template v-else-if="cell?.edited_since && !whole"
      ><span class="old">{{ cell.text ?? "blank" }}</span><span class="soft"> → </span
      ><span class="new">{{ cell.text_now ?? "blank" }}</span></template
    >
    <template v-else-if="changed && !whole">
      <template v-if="cell?.current"><span class="old">{{ cell.current }}</span><span class="soft"> → </span></template>
      <span class="new">{{ cell?.proposed ?? "empty" }}</span>
    </template>
    <template v-else-if="cell?.action === 'emptied' && !whole"
      ><span class="soft" title="Emptied in the sheet; the record is left as it is">{{ cell.current }}</span></template
    >
    <template v-else>{{ cell?.text }}</template>
    <span v-if="inPart" class="soft"> {{ inPart }}</span>
  </div>
</template>
