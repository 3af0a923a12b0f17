<script setup lang="ts">
/** Routes whose columns a sheet has, all or most of them: what differs is shown before it is brought in so. */
import type { Schemas } from "@/api/client";
import { useApplications } from "@/api/queries";
import StageLabel from "@/parts/StageLabel.vue";

defineProps<{ routes: readonly Schemas["RouteFit"][]; disabled?: boolean }>();
defineEmits<{ take: [route: Schemas["RouteFit"]] }>();
const { data: applications } = useApplications();
</script>

<template>
  <section v-for="one in routes" :key="one.id" class="card" data-testid="fitting-route">
    <p class="flex flex-wrap items-center gap-2">
      <StageLabel :stage="applications?.find((a) => a.name === one.application)?.stage ?? 'practice'" />
      <span>Its header is like that of the route <b>{{ one.name }}</b>.</span>
    </p>
    <p v-if="one.missing.length" class="mt-1 text-small text-held">
      The route has, and this sheet has not: <b class="mono">{{ one.missing.join(", ") }}</b>
    </p>
    <p v-if="one.new.length" class="mt-1 text-small text-held">
      New in this sheet: <b class="mono">{{ one.new.join(", ") }}</b>
    </p>
    <button type="button" class="btn go sm mt-2" :disabled="disabled" @click="$emit('take', one)">
      Bring it in on {{ one.name }}
    </button>
  </section>
</template>
