<script setup lang="ts">
import { computed } from "vue";

import type { Cell } from "@/api/client";

import type { GridColumn } from "./columns";

const props = defineProps<{ cell: Cell | undefined; column: GridColumn; fault: boolean; whole?: boolean }>();
const changed = computed(() => props.cell?.do === "write" || props.cell?.do === "held");
const title = computed(() => {
  const { cell } = props;
  if (!cell) return "";
  return changed.value && !props.whole ? `${cell.old ?? "empty"} → ${cell.new ?? "empty"}` : (cell.text ?? "");
});
</script>

<template>
  <div
    role="gridcell"
    class="grid-td"
    :class="[cell?.do, { num: column.number, key: column.isKey, dim: column.dim, fault: fault && cell?.do !== 'bad' }]"
    :title="title"
  >
    <template v-if="changed && !whole">
      <template v-if="cell?.old"
        ><span class="old">{{ cell.old }}</span
        ><span class="soft"> → </span></template
      >
      <span class="new">{{ cell?.new ?? "empty" }}</span>
    </template>
    <template v-else-if="cell?.do === 'emptied' && !whole"
      ><span class="soft" title="Emptied in the sheet; the record is left as it is">{{ cell.old }}</span></template
    >
    <template v-else>{{ cell?.text }}</template>
  </div>
</template>
