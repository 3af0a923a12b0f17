<script setup lang="ts">
/** A trip's passes side by side: by whom, by which rule, how long, and what became of their rows. */
import type { Schemas } from "@/api/client";
import { count, fullTime, lasted } from "@/parts/format";

import { useTripContext } from "../context";
import { ruleWords } from "./trouble";

type Pass = Schemas["Pass"];
const { trip } = useTripContext();
const total = (one: Pass, ...names: string[]): number =>
  names.reduce((sum, name) => sum + (one.totals?.[name] ?? 0), 0);
</script>

<template>
  <table v-if="trip.passes.length" class="plain-table max-w-4xl" data-testid="passes">
    <caption class="mb-1 text-left font-bold">
      This trip, pass by pass
    </caption>
    <thead>
      <tr>
        <th>Pass</th>
        <th>Plan</th>
        <th>Began</th>
        <th>Took</th>
        <th>By</th>
        <th>Where refused</th>
        <th>Rows</th>
        <th>In</th>
        <th>Refused</th>
        <th>Unclear</th>
        <th>State</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="one in trip.passes" :key="one.number">
        <td class="mono">{{ one.number }}</td>
        <td class="mono">{{ one.plan }}</td>
        <td>{{ fullTime(one.started_at) }}</td>
        <td>{{ one.ended_at ? lasted(one.started_at, one.ended_at) : "—" }}</td>
        <td>{{ one.by.name }}</td>
        <td>{{ ruleWords(one) }}</td>
        <td class="mono">{{ count(one.rows) }}</td>
        <td class="mono">{{ count(total(one, "created", "updated", "deleted")) }}</td>
        <td class="mono">{{ count(total(one, "refused")) }}</td>
        <td class="mono">{{ count(total(one, "unclear")) }}</td>
        <td :title="one.reason">{{ one.state }}</td>
      </tr>
    </tbody>
  </table>
</template>
