<script setup lang="ts">
import { useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { useRoute, useRouter } from "vue-router";

import { api, data, type Field } from "@/api/client";
import { useApplications, useCatalogue, useMay } from "@/api/queries";
import { fullTime, many } from "@/parts/format";
import StageLabel from "@/parts/StageLabel.vue";
import { useFootNote } from "@/services/foot";
import { say } from "@/services/notices";
import { useInAddress } from "@/ui/address";
import AlertNote from "@/ui/AlertNote.vue";
import BusyButton from "@/ui/BusyButton.vue";
import DataTable from "@/ui/DataTable.vue";
import { useDoing } from "@/ui/doing";
import { useTyped } from "@/ui/selected";
import type { TableColumn } from "@/ui/table";

import ApplicationGuards from "@/guards/ApplicationGuards.vue";

import ApplicationRules from "./ApplicationRules.vue";
import ConnectForm from "./ConnectForm.vue";
import OwnToken from "./OwnToken.vue";

defineEmits<{ bring: [] }>();
const route = useRoute();
const router = useRouter();
const client = useQueryClient();
const mayConnect = useMay("connect");
const mayPrepare = useMay("prepare");
const { data: applications } = useApplications();
const name = computed(() => String(route.params.name || applications.value?.[0]?.name || ""));
/** The form is open: for a new connection, or to change the one that is shown. */
const form = ref<"" | "new" | "change">("");
const { data: catalogue } = useCatalogue(name);
const typeName = useInAddress("type");
const { typed: search } = useTyped("field");
const type = computed(() => {
  const types = catalogue.value?.types;
  return types?.find((t) => t.name === typeName.value) ?? types?.[0];
});
const fields = computed(
  () =>
    type.value?.all_fields.filter((f) =>
      `${f.label} ${f.name} ${f.help}`.toLowerCase().includes(search.value.toLowerCase()),
    ) ?? [],
);
const label = (field: string): string => type.value?.all_fields.find((f) => f.name === field)?.label ?? field;
const order = useInAddress("order");
/** What of the application is shown: its record types, what guards do on its trips, or what these may do. */
const shown = useInAddress("show", "types");
const SHOWN = [
  { show: "types", says: "Record types" },
  { show: "guards", says: "Guards" },
  { show: "rules", says: "Rules" },
];
const holds = (f: Field): string => (f.target ? `a ${f.target.toLowerCase()}` : f.kind);
const carry = (f: Field): string => (f.read_only ? "for reading only" : f.required ? "required" : "may be empty");
const COLUMNS: TableColumn<Field>[] = [
  { key: "label", title: "Field", by: (f) => f.label, class: "font-semibold whitespace-nowrap" },
  { key: "name", title: "Name", by: (f) => f.name, class: "mono text-data" },
  { key: "kind", title: "Holds", by: holds },
  { key: "carry", title: "When carrying", by: carry, class: "whitespace-nowrap" },
  { key: "help", title: "Help" },
];
useFootNote(() => (catalogue.value ? many(catalogue.value.types.length, "record type", "record types") : ""));

const probing = useDoing(
  async () => data(api.POST("/api/applications/{name}/test", { params: { path: { name: name.value } } })),
  {
    done: ({ said }) => {
      say(`${catalogue.value?.application.label}: ${said}`);
    },
    after: () => client.invalidateQueries({ queryKey: ["applications"] }),
  },
);
function connected(made: string): void {
  form.value = "";
  void router.push(`/applications/${made}`);
}
</script>

<template>
  <div class="where">
    <h1>Applications</h1>
    <span class="soft">the systems whose records go out and come in</span>
    <button v-if="mayConnect" type="button" class="btn go ml-auto" @click="form = 'new'">
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
        :class="{ '!border-2 !border-marine': a.name === name && form !== 'new' }"
        @click="form = ''"
      >
        <StageLabel :stage="a.stage" />
        <b class="mt-1 block">{{ a.label }}</b>
        <span class="text-data" :class="a.trouble ? 'font-semibold text-reject' : 'soft'">{{
          a.trouble ? "does not answer" : `answers in ${a.answers_ms ?? "?"} ms`
        }}</span>
      </RouterLink>
      <p v-if="applications && !applications.length" class="soft">
        No application is connected yet. Connect one with its address and a token; nothing is read or written until you
        ask for it.
      </p>
    </nav>
    <ConnectForm
      v-if="form"
      :key="form"
      :change="form === 'change' ? catalogue?.application : undefined"
      @done="connected"
      @close="form = ''"
    />
    <div v-else-if="catalogue" class="flex min-w-0 flex-1 flex-col overflow-hidden bg-panel">
      <div class="tools">
        <StageLabel :stage="catalogue.application.stage" /><b>{{ catalogue.application.label }}</b>
        <span class="soft mono truncate text-data">{{ catalogue.application.address }}</span>
        <span class="soft"
          >asked {{ catalogue.application.described_at ? fullTime(catalogue.application.described_at) : "never" }}</span
        >
        <span class="ml-auto flex gap-2">
          <button
            v-for="one in SHOWN"
            :key="one.show"
            type="button"
            class="chip"
            :aria-pressed="shown === one.show"
            @click="shown = one.show"
          >
            {{ one.says }}
          </button>
          <button v-if="mayConnect" type="button" class="btn sm" @click="form = 'change'">
            Change the connection…
          </button>
          <BusyButton
            type="button"
            class="sm"
            says="Asking…"
            :busy="probing.busy.value"
            :disabled="!mayPrepare"
            @click="probing.start()"
          >
            Test the connection
          </BusyButton>
        </span>
      </div>
      <AlertNote v-if="catalogue.application.trouble" class="m-2 flex-none">{{
        catalogue.application.trouble
      }}</AlertNote>
      <OwnToken v-if="catalogue.application.personal && mayPrepare" :application="catalogue.application" />
      <ApplicationRules
        v-if="shown === 'rules'"
        :name="catalogue.application.name"
        :label="catalogue.application.label"
      />
      <ApplicationGuards
        v-else-if="shown === 'guards'"
        :name="catalogue.application.name"
        :label="catalogue.application.label"
      />
      <div v-else class="tools">
        <button
          v-for="t in catalogue.types"
          :key="t.name"
          type="button"
          class="chip"
          :aria-pressed="t.name === type?.name"
          @click="typeName = t.name"
        >
          {{ t.plural }}
        </button>
        <input
          v-model="search"
          type="search"
          class="input !min-h-6 ml-auto !w-44 !py-0 text-data"
          placeholder="Find a field"
          aria-label="Find a field"
        />
      </div>
      <p v-if="type && shown === 'types'" class="soft flex-none px-4 py-1.5 text-small">
        A {{ type.label.toLowerCase() }} is told apart by
        <template v-for="(key, at) in [...type.keys, [type.identifier]]" :key="key.join()"
          ><template v-if="at">, or by </template><b class="text-ink">{{ key.map(label).join(" + ") }}</b></template
        >.<template v-if="type.unread.length"> Not read, and never written: {{ type.unread.join(", ") }}.</template
        ><template v-if="catalogue.unread.length">
          Lists whose records no one field tells apart are not here: {{ catalogue.unread.join(", ") }}.</template
        >
      </p>
      <DataTable
        v-if="shown === 'types'"
        :id="(f) => f.name"
        v-model:order="order"
        :rows="fields"
        :columns="COLUMNS"
        label="Fields"
      >
        <template #label="{ row }">{{ row.label }}</template>
        <template #name="{ row }">{{ row.name }}</template>
        <template #kind="{ row }">{{ holds(row) }}</template>
        <template #carry="{ row }">{{ carry(row) }}</template>
        <template #help="{ row }"
          ><span class="soft"
            >{{ row.help }} <span v-if="row.choices.length" class="mono text-data">{{ row.choices.join(" · ") }}</span>
          </span></template
        >
      </DataTable>
    </div>
  </div>
</template>
