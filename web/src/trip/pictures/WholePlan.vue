<script setup lang="ts">
/** What a trip does, as a whole: changes by column, each a way to its rows, and verdicts by group. */
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";

import { count, exact, many } from "@/parts/format";

import { useTripContext } from "../context";
import GroupsCard from "../totals/GroupsCard.vue";
import FieldPicture from "./FieldPicture.vue";

const { trip } = useTripContext();
const columns = computed(() =>
  trip.value.columns.filter((c) => c.changed && c.field).sort((one, other) => other.changed - one.changed),
);
const most = computed(() => columns.value[0]?.changed ?? 1);
const chosen = ref<string | null>(null);
const pictured = computed(() => columns.value.find((c) => c.field === chosen.value) ?? columns.value[0]);
watch(pictured, (now) => (chosen.value = now?.field ?? null), { immediate: true });
const router = useRouter();
function filter(field: string, change: string): void {
  void router.push({ ...rows(field), query: { changed: field, change } });
}
const rows = (field: string | null) => ({
  name: "trip",
  params: { id: trip.value.id, station: "review" },
  query: { changed: field ?? "" },
});
</script>

<template>
  <aside
    class="grid content-start items-start gap-3 xl:grid-cols-[minmax(0,1fr)_20rem]"
    aria-label="What this trip does"
    data-testid="whole-plan"
  >
    <section v-if="columns.length" class="card grid gap-1.5">
      <h2>What this trip does</h2>
      <b>Changes by column</b>
      <ul class="grid gap-1">
        <li v-for="c in columns" :key="c.column">
          <RouterLink
            class="change-bar py-1"
            :to="rows(c.field)"
            :style="{ '--share': `${(100 * c.changed) / most}%` }"
          >
            <span class="grid min-w-0">
              <span class="truncate">{{ c.label }}</span>
              <span v-if="c.before != null" class="mono soft text-fine"
                >Σ {{ exact(c.before) }} → {{ exact(c.after) }}</span
              >
            </span>
            <span v-if="c.emptied" class="ml-auto text-held">{{ count(c.emptied) }} emptied</span>
            <b :class="{ 'ml-auto': !c.emptied }">{{ many(c.changed, "change", "changes") }}</b>
          </RouterLink>
        </li>
      </ul>
    </section>
    <section v-if="pictured" class="grid gap-1" :aria-label="pictured.label ?? pictured.header">
      <label v-if="columns.length > 1" class="soft mb-1 flex items-center gap-2"
        >Before and after:
        <select v-model="chosen" class="guard-part" aria-label="Which column is shown before and after">
          <option v-for="c in columns" :key="c.column" :value="c.field">{{ c.label }}</option>
        </select></label
      >
      <FieldPicture :key="pictured.column" :column="pictured" @filter="filter" />
    </section>
    <GroupsCard />
  </aside>
</template>
