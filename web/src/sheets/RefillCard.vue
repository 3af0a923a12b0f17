<script setup lang="ts">
/** Fill the sheet from the application: its own columns, order and widths stay as they are. */
import { ref } from "vue";
import { useRouter } from "vue-router";

import { api, data, type Job } from "@/api/client";
import { jobDone } from "@/api/queries";
import { many } from "@/parts/format";
import { awaited } from "@/sendout/awaited";
import { say } from "@/services/notices";
import BusyButton from "@/ui/BusyButton.vue";
import { useDoing } from "@/ui/doing";

import type { About } from "./about";

const props = defineProps<{ upload: number; about: About; disabled?: boolean }>();
const router = useRouter();
const said = ref("");
const formulas = ref(false);
const filling = useDoing<Job>(
  async () => {
    const body = {
      application: props.about.application,
      record_type: props.about.recordType,
      key: [],
      formulas: formulas.value,
    };
    const params = { path: { number: props.upload } };
    const asked = await data(api.POST("/api/uploads/{number}/refill", { params, body }));
    return jobDone(asked.id);
  },
  {
    done: ({ result }) => {
      if (!result?.trip) return;
      awaited.add(result.trip);
      const lost = result.missing ? `, ${many(result.missing, "row finds", "rows find")} no record` : "";
      const kept = result.formulas
        ? `, ${many(result.formulas, "cell keeps its formula", "cells keep their formulas")}`
        : "";
      say(`${many(result.rows ?? 0, "row is", "rows are")} filled${lost}${kept}.`);
      return router.push(`/trips/${result.trip}/file`);
    },
    failed: (error) => (said.value = error.message),
  },
);
</script>

<template>
  <section class="card" data-testid="refill">
    <b>Or fill it</b>
    <p>
      Columns that name fields get what the application holds now, for the records that the key column names. Your own
      columns, the order and the widths stay.
    </p>
    <label class="mt-1 flex items-center gap-2"
      ><input v-model="formulas" type="checkbox" /><span>Fill cells that hold a formula, too</span></label
    >
    <p v-if="said" class="!text-reject" role="alert">{{ said }}</p>
    <BusyButton
      type="button"
      class="sm mt-2"
      :busy="filling.busy.value"
      :disabled="disabled || !about.application || !about.recordType"
      says="Filling…"
      @click="
        said = '';
        filling.start();
      "
      >Fill it from the application</BusyButton
    >
  </section>
</template>
