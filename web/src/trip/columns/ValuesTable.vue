<script setup lang="ts">
/** A column's values before and after its lane: what cannot be read first, then the most frequent. */
import { computed } from "vue";

import type { Schemas } from "@/api/client";
import { count, many } from "@/parts/format";

const props = defineProps<{ tried: Schemas["TriedLane"] | undefined; rows: number }>();
const shown = computed(() => (props.tried?.values ?? []).slice(0, 30));
</script>

<template>
  <section class="card" data-testid="values">
    <b>Values, before and after</b>
    <p v-if="tried" class="soft text-small">
      {{ many(tried.touched, "row", "rows") }} of {{ count(rows) }} changed<template v-if="tried.unreadable"
        >, <span class="text-reject">{{ many(tried.unreadable, "cannot be read", "cannot be read") }}</span></template
      >
    </p>
    <table class="mt-1.5 w-full text-data">
      <tbody>
        <tr v-for="(one, at) in shown" :key="at" class="border-b border-rule last:border-0">
          <td class="mono max-w-28 truncate py-1 pr-2" :title="one.before">
            <span v-if="one.before">{{ one.before }}</span><span v-else class="soft">blank</span>
          </td>
          <td class="mono max-w-32 py-1 pr-2" :class="{ truncate: !one.bad }" :title="one.says">
            <span v-if="one.bad" class="line-clamp-2 font-sans text-fine text-reject">× {{ one.says }}</span>
            <b v-else-if="one.after != null && one.after !== one.before" class="text-update">{{ one.after }}</b>
            <span v-else-if="one.after != null" class="soft">as it is</span>
            <span v-else class="soft">{{ one.says }}</span>
          </td>
          <td class="soft w-12 bg-sunk px-1.5 text-right">{{ count(one.count) }}×</td>
        </tr>
      </tbody>
    </table>
    <p v-if="tried && tried.different > shown.length" class="soft mt-1 text-small">
      and {{ many(tried.different - shown.length, "more value", "more values") }}
    </p>
    <p v-if="!tried" class="soft">Looking at the values…</p>
  </section>
</template>
