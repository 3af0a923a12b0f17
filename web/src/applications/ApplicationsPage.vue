<script setup lang="ts">
import { useQueryClient } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";

import { api, data } from "@/api/client";
import { useApplications, useCatalogue, useSession } from "@/api/queries";
import { fullTime, many } from "@/parts/format";
import StageLabel from "@/parts/StageLabel.vue";
import { useFootNote } from "@/shell/foot";
import { say, sayError } from "@/shell/notices";

import ConnectForm from "./ConnectForm.vue";

defineEmits<{ bring: [] }>();
const route = useRoute();
const router = useRouter();
const client = useQueryClient();
const { data: session } = useSession();
const { data: applications } = useApplications();
const name = computed(() => String(route.params.name || applications.value?.[0]?.name || ""));
const connecting = ref(false);
const { data: catalogue } = useCatalogue(name);
const typeName = ref("");
const search = ref("");
const busy = ref(false);
watch(
  () => catalogue.value?.types,
  (types) => {
    if (types && !types.some((t) => t.name === typeName.value)) typeName.value = types[0]?.name ?? "";
  },
  { immediate: true },
);
const type = computed(() => catalogue.value?.types.find((t) => t.name === typeName.value));
const fields = computed(
  () =>
    type.value?.all_fields.filter((f) =>
      `${f.label} ${f.name} ${f.help}`.toLowerCase().includes(search.value.toLowerCase()),
    ) ?? [],
);
const label = (field: string): string => type.value?.all_fields.find((f) => f.name === field)?.label ?? field;
useFootNote(() => (catalogue.value ? many(catalogue.value.types.length, "record type", "record types") : ""));

async function probe(): Promise<void> {
  busy.value = true;
  try {
    const { said } = await data(api.POST("/api/applications/{name}/test", { params: { path: { name: name.value } } }));
    say(`${catalogue.value?.application.label}: ${said}`);
  } catch (error) {
    sayError(error);
  } finally {
    busy.value = false;
    await client.invalidateQueries({ queryKey: ["applications"] });
  }
}
function connected(made: string): void {
  connecting.value = false;
  void router.push(`/applications/${made}`);
}
</script>

<template>
  <div class="where">
    <h1>Applications</h1>
    <span class="soft">the systems whose records go out and come in</span>
    <button v-if="session?.person?.may_administer" type="button" class="btn go ml-auto" @click="connecting = true">
      Connect an application…
    </button>
  </div>
  <div class="work">
    <nav class="w-[270px] flex-none overflow-auto border-r border-rule p-3" aria-label="Applications">
      <RouterLink
        v-for="a in applications"
        :key="a.name"
        :to="`/applications/${a.name}`"
        class="card mb-2 block"
        :class="{ '!border-2 !border-marine': a.name === name && !connecting }"
        @click="connecting = false"
      >
        <StageLabel :stage="a.stage" />
        <b class="mt-1 block">{{ a.label }}</b>
        <span class="text-[12.5px]" :class="a.trouble ? 'font-semibold text-reject' : 'soft'">{{
          a.trouble ? "does not answer" : `answers in ${a.answers_ms ?? "?"} ms`
        }}</span>
      </RouterLink>
      <p v-if="!applications?.length" class="soft">
        No application is connected yet. Connect one with its address and a token; nothing is read or written until you
        ask for it.
      </p>
    </nav>
    <ConnectForm v-if="connecting" @done="connected" @close="connecting = false" />
    <div v-else-if="catalogue" class="flex min-w-0 flex-1 flex-col overflow-hidden bg-panel">
      <div class="tools">
        <StageLabel :stage="catalogue.application.stage" /><b>{{ catalogue.application.label }}</b>
        <span class="soft mono truncate text-[12.5px]">{{ catalogue.application.address }}</span>
        <span class="soft"
          >asked {{ catalogue.application.described_at ? fullTime(catalogue.application.described_at) : "never" }}</span
        >
        <button type="button" class="btn sm ml-auto" :disabled="busy || !session?.person?.may_prepare" @click="probe">
          {{ busy ? "Asking…" : "Test the connection" }}
        </button>
      </div>
      <p v-if="catalogue.application.trouble" class="bg-reject-tint px-4 py-2 text-reject" role="alert">
        {{ catalogue.application.trouble }}
      </p>
      <div class="tools">
        <button
          v-for="t in catalogue.types"
          :key="t.name"
          type="button"
          class="chip"
          :aria-pressed="t.name === typeName"
          @click="typeName = t.name"
        >
          {{ t.plural }}
        </button>
        <input
          v-model="search"
          type="search"
          class="input !min-h-6 ml-auto !w-44 !py-0 text-[12.5px]"
          placeholder="Find a field"
          aria-label="Find a field"
        />
      </div>
      <p v-if="type" class="soft flex-none px-4 py-1.5 text-[13px]">
        A {{ type.label.toLowerCase() }} is told apart by
        <template v-for="(key, at) in [...type.keys, [type.identifier]]" :key="key.join()"
          ><template v-if="at">, or by </template><b class="text-ink">{{ key.map(label).join(" + ") }}</b></template
        >.
      </p>
      <div class="min-h-0 flex-1 overflow-auto" tabindex="0" role="region" aria-label="Fields">
        <table class="plain-table">
          <thead class="sticky top-0">
            <tr>
              <th>Field</th>
              <th>Name</th>
              <th>Holds</th>
              <th>When carrying</th>
              <th>Help</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="f in fields" :key="f.name">
              <td class="font-semibold whitespace-nowrap">{{ f.label }}</td>
              <td class="mono text-[12.5px]">{{ f.name }}</td>
              <td>{{ f.target ? `a ${f.target.toLowerCase()}` : f.kind }}</td>
              <td class="whitespace-nowrap">
                {{ f.read_only ? "for reading only" : f.required ? "required" : "may be empty" }}
              </td>
              <td class="soft">
                {{ f.help }} <span v-if="f.choices.length" class="mono text-[12.5px]">{{ f.choices.join(" · ") }}</span>
              </td>
            </tr>
          </tbody>
        </table>
      </div>
    </div>
  </div>
</template>
