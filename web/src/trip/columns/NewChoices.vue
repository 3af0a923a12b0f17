<script setup lang="ts">
/** Values that are not choices of the field, added to its list where the application lets people do so. */
import { computed } from "vue";

import { api, data, type Field, queryClient, type Schemas } from "@/api/client";
import { say } from "@/services/notices";
import { useDoing } from "@/ui/doing";

import { useTripContext } from "../context";

const props = defineProps<{ field: Field; tried: Schemas["TriedLane"] | undefined }>();
const emit = defineEmits<{ added: [] }>();
const { trip } = useTripContext();
const unknown = computed(() => (props.tried?.values ?? []).filter((one) => one.bad && one.before).slice(0, 8));
const adding = useDoing<unknown, string>(
  async (value) => {
    const params = { path: { name: trip.value.application.name } };
    const body = { record_type: trip.value.record_type, name: props.field.name, value };
    await data(api.POST("/api/applications/{name}/choices", { params, body }));
    await queryClient.invalidateQueries({ queryKey: ["applications"] });
  },
  {
    done: (_, value) => {
      say(`${value} is a choice of ${props.field.label} now.`);
      emit("added");
    },
  },
);
</script>

<template>
  <section v-if="unknown.length" class="card" data-testid="new-choices">
    <b>No choices of {{ field.label }} yet</b>
    <div class="mt-1.5 flex flex-wrap gap-1.5">
      <button
        v-for="one in unknown"
        :key="one.before"
        type="button"
        class="btn sm"
        :disabled="adding.busy.value"
        @click="adding.start(one.before.trim())"
      >
        Add “{{ one.before.trim() }}”
      </button>
    </div>
  </section>
</template>
