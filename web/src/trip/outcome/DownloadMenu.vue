<script setup lang="ts">
/** What can be taken away of an outcome: receipts of all passes and of each, the rows that are not in. */
import { Menu, MenuButton, MenuItem, MenuItems } from "@headlessui/vue";
import { computed } from "vue";

import { withPart } from "@/api/part";

import { useTripContext } from "../context";

const { trip } = useTripContext();
const files = computed(() => {
  const written = trip.value.passes.filter((one) => one.totals);
  const each = written.length > 1 ? written : [];
  const absent = written.at(-1)?.absent;
  return [
    { says: "Receipt, XLSX", what: "receipt.xlsx" },
    { says: "Receipt, CSV", what: "receipt.csv" },
    { says: "Receipt, JSON lines", what: "receipt.jsonl" },
    { says: "Receipt, to print", what: "receipt.html", opens: true },
    ...each.map(({ number }) => ({ says: `Receipt of pass ${number} alone`, what: `receipt.xlsx?pass=${number}` })),
    { says: "Record IDs that were written, CSV", what: "touched.csv" },
    ...(trip.value.outcomes.some((one) => one.count)
      ? [
          { says: "Rows not in, XLSX", what: "not-in.xlsx" },
          { says: "Rows not in, CSV", what: "not-in.csv" },
        ]
      : []),
    ...(absent
      ? [
          { says: "Records not in the sheet, XLSX", what: "not-in-the-sheet.xlsx" },
          { says: "Records not in the sheet, CSV", what: "not-in-the-sheet.csv" },
        ]
      : []),
  ];
});
</script>

<template>
  <Menu as="div" class="relative">
    <MenuButton class="btn">Download…</MenuButton>
    <MenuItems
      class="absolute right-0 z-40 mt-1 w-60 rounded-lg border border-rule bg-panel p-1 shadow-xl focus:outline-none"
    >
      <MenuItem v-for="one in files" :key="one.what" v-slot="{ active }">
        <a
          class="block rounded px-3 py-1.5"
          :class="{ 'bg-marine-tint': active }"
          :href="withPart(`/api/trips/${trip.id}/files/${one.what}`)"
          :download="'opens' in one ? undefined : ''"
          :target="'opens' in one ? '_blank' : undefined"
          rel="noopener"
          >{{ one.says }}</a
        >
      </MenuItem>
    </MenuItems>
  </Menu>
</template>
