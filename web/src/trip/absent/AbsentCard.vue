<script setup lang="ts">
/** Records in reach that no row of the sheet is about, where nothing happens to them. */
import { ref } from "vue";

import { count } from "@/parts/format";

import { useAbsent } from "./absent";
import AbsentTable from "./AbsentTable.vue";

const { absent, file } = useAbsent();
const listed = ref(false);
</script>

<template>
  <section v-if="absent?.known && absent.count" class="card" data-testid="absent">
    <b>Not in the sheet</b>
    <p>
      {{ count(absent.count) }} of {{ count(absent.reach) }} records in reach {{ absent.count === 1 ? "is" : "are" }} in
      no row. Nothing happens to them.
    </p>
    <div class="mt-1.5 flex flex-wrap gap-1.5">
      <button type="button" class="btn sm" :aria-expanded="listed" @click="listed = !listed">
        {{ listed ? "Hide them" : "Show them" }}
      </button>
      <a class="btn sm" :href="file" download>Download as a sheet</a>
    </div>
    <div v-if="listed" class="mt-2 max-h-64 overflow-auto" tabindex="0">
      <AbsentTable :labels="absent.labels" :records="absent.records" :of="absent.count" />
    </div>
  </section>
</template>
