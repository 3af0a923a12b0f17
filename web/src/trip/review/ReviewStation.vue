<script setup lang="ts">
import { useDebounceFn } from "@vueuse/core";
import { computed, ref, watch } from "vue";

import DataGrid from "@/grid/DataGrid.vue";
import { useWindow } from "@/grid/useWindow";
import { count, many } from "@/parts/format";

import ApplyDialog from "../apply/ApplyDialog.vue";
import { useGridColumns, useTripContext } from "../context";
import { usePlanAgain } from "../planning";
import RowPanel from "./RowPanel.vue";

const state = defineModel<string>("state", { default: "" });
defineEmits<{ bring: []; choose: [string] }>();
const { trip, mayPrepare } = useTripContext();
const column = ref("");
const typed = ref("");
const text = ref("");
const whole = ref(false);
const current = ref(0);
const currentColumn = ref(-1);
const confirming = ref(false);
const setText = useDebounceFn((now: string) => (text.value = now), 250);
watch(typed, (now) => void setText(now));
watch([state, column, text], () => (current.value = 0));

const window = useWindow(() => ({
  trip: trip.value.plan ? trip.value.id : 0,
  view: "review",
  state: state.value,
  column: column.value,
  text: text.value,
  version: `${trip.value.plan?.number} ${trip.value.job?.kind ?? ""}`,
}));
const columns = useGridColumns(trip);
const changed = computed(() => trip.value.columns.filter((c) => c.changed && !c.is_key));
const emptied = computed(() => trip.value.columns.filter((c) => c.emptied));
const row = computed(() => window.rowAt(current.value));
const hidden = computed(() => (trip.value.rows ?? 0) - window.total.value);
const filtered = computed(() => !!(state.value || column.value || text.value));
const grid = ref<InstanceType<typeof DataGrid>>();
const stale = computed(() => !!trip.value.plan && !trip.value.plan.current);
const canApply = computed(() => trip.value.to_write > 0 && !stale.value && !trip.value.job);
const { planAgain, busy } = usePlanAgain();
</script>

<template>
  <Teleport defer to="#trip-actions">
    <button
      v-if="stale && mayPrepare"
      type="button"
      class="btn go"
      :disabled="busy || !!trip.job"
      data-testid="plan-again"
      @click="planAgain"
    >
      {{ trip.sent_by && trip.outcomes.length ? "Look again at what is not in" : "Plan again" }}
    </button>
    <button
      v-else
      type="button"
      class="btn go"
      :disabled="!canApply || !trip.application.may_apply"
      data-testid="apply"
      @click="confirming = true"
    >
      {{ trip.to_write ? `Apply ${many(trip.to_write, "row", "rows")}…` : "Nothing to write" }}
    </button>
  </Teleport>
  <ApplyDialog :open="confirming" @close="confirming = false" />
  <div class="work">
    <div class="main">
      <div class="tools">
        <button
          type="button"
          class="chip"
          :aria-pressed="!filtered"
          @click="((column = ''), (typed = ''), (text = ''), $emit('choose', ''))"
        >
          All rows
        </button>
        <button
          v-for="c in changed.slice(0, 3)"
          :key="c.column"
          type="button"
          class="chip"
          :aria-pressed="column === c.field_name"
          @click="column = column === c.field_name ? '' : (c.field_name ?? '')"
        >
          {{ c.field_label }} changed {{ count(c.changed) }}
        </button>
        <button
          v-for="c in emptied.slice(0, 2)"
          :key="`e${c.column}`"
          type="button"
          class="chip"
          :aria-pressed="column === `emptied:${c.field_name}`"
          @click="column = column === `emptied:${c.field_name}` ? '' : `emptied:${c.field_name}`"
        >
          {{ c.field_label }} emptied {{ count(c.emptied) }}
        </button>
        <input
          v-model="typed"
          type="search"
          class="input !min-h-6 !w-32 !py-0 text-[12.5px]"
          placeholder="Text in a cell"
          aria-label="Rows with this text in a cell"
        />
        <span class="ml-auto flex items-center gap-2">
          <span class="soft">Show</span>
          <button type="button" class="chip" :aria-pressed="!whole" @click="whole = false">old → new</button>
          <button type="button" class="chip" :aria-pressed="whole" @click="whole = true">whole rows</button>
        </span>
        <span v-if="filtered && hidden > 0" class="soft w-full text-[12.5px]"
          >{{ many(hidden, "row is", "rows are") }} hidden by the filter. What is applied does not change.</span
        >
      </div>
      <DataGrid
        v-if="trip.plan"
        ref="grid"
        v-model:current="current"
        v-model:column="currentColumn"
        :window="window"
        :columns="columns"
        :whole-rows="whole"
        signs
        :why="['held', 'rejected', 'aside', 'refused'].includes(state)"
        label="Rows with old and new values"
      />
      <p v-else class="soft m-auto max-w-md text-center">
        There is nothing to review yet.
        {{ trip.rows == null ? "Bring the sheet in first." : "Choose how rows find their records at Keys." }}
      </p>
    </div>
    <RowPanel v-if="trip.plan" :row="row" :column="currentColumn" :rows-of="state" @next="grid?.go(current + 1)" />
  </div>
</template>
