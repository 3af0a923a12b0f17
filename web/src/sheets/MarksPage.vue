<script setup lang="ts">
/** What a cell can say beyond its value. */
import { useQuery } from "@tanstack/vue-query";

import { api, data } from "@/api/client";

const { data: marks } = useQuery({
  queryKey: ["marks"],
  queryFn: () => data(api.GET("/api/marks")),
  staleTime: Infinity,
});
</script>

<template>
  <div class="flex min-h-0 flex-1 flex-col">
    <div class="where">
      <h1>Marks in cells</h1>
      <span class="soft">what a cell can say beyond its value</span>
      <a class="btn go ml-auto" href="/api/marks.xlsx" download>Download a sheet of examples</a>
    </div>
    <div class="work">
      <div class="main overflow-auto" tabindex="0" role="region" aria-label="Marks">
        <table class="plain-table">
          <thead>
            <tr>
              <th>The cell says</th>
              <th>In</th>
              <th>What it does</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="mark in marks" :key="mark.cell" data-testid="mark">
              <td class="mono w-64 whitespace-nowrap">
                <b v-if="mark.cell">{{ mark.cell }}</b><span v-else class="soft">blank</span>
              </td>
              <td class="w-56">{{ mark.of }}</td>
              <td>{{ mark.means }}</td>
            </tr>
          </tbody>
        </table>
        <div class="max-w-3xl p-5">
          <p>
            Marks count in sheets that were sent out from here. In a sheet from elsewhere they are text like any other,
            unless you say at File that they count; where cells look like marks, it is asked there.
          </p>
          <p class="mt-2">
            A mark may be written in any capitals, with spaces before and behind. One that means nothing is rejected
            with its row, and nothing is written. A marked cell is not treated by its lane; the items of its list still
            pass the value list.
          </p>
        </div>
      </div>
    </div>
  </div>
</template>
