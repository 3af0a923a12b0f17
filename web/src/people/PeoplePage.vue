<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";

import type { Schemas } from "@/api/client";
import { useMay, usePeople, useSession } from "@/api/queries";
import { fullTime, many } from "@/parts/format";
import { useFootNote } from "@/services/foot";
import { useKeys } from "@/services/keys";
import { useInAddress } from "@/ui/address";
import AlertNote from "@/ui/AlertNote.vue";
import DataTable from "@/ui/DataTable.vue";
import SidePanel from "@/ui/SidePanel.vue";
import type { TableColumn } from "@/ui/table";

import AddPerson from "./AddPerson.vue";
import { ROLES } from "./roles";
import SomeonePanel from "./SomeonePanel.vue";

type Someone = Schemas["Someone"];
const COLUMNS: TableColumn<Someone>[] = [
  { key: "name", title: "Name", by: (one) => one.name ?? "", class: "font-semibold" },
  { key: "username", title: "Signs in as", by: (one) => one.username, class: "mono text-data" },
  { key: "role", title: "Role", by: (one) => ROLES.findIndex((role) => role.value === one.role) },
  { key: "last", title: "Last signed in", by: (one) => one.last_login ?? "" },
];
defineEmits<{ bring: [] }>();
const route = useRoute();
const router = useRouter();
const may = useMay("people");
const { data: session } = useSession();
const { data: people, error } = usePeople();
const order = useInAddress("order");
const adding = ref(false);
const chosen = computed(() => people.value?.find((one) => one.username === route.params.username));
const own = computed(() => session.value?.person?.username);
watch(chosen, (now) => {
  if (now) adding.value = false;
});

function choose(username: string): void {
  adding.value = false;
  void router.replace({ name: "people", params: { username }, query: route.query });
}
function add(): void {
  adding.value = true;
  void router.replace({ name: "people", query: route.query });
}
useKeys("People", [{ key: "A", says: "add a person", run: add }]);
useFootNote(() => (people.value ? many(people.value.length, "person", "people") : ""));
</script>

<template>
  <div class="where">
    <h1>People</h1>
    <span class="soft">who can sign in, and what each may do</span>
    <button v-if="may" type="button" class="btn go ml-auto" @click="add">Add a person <kbd>A</kbd></button>
  </div>
  <div class="work">
    <div class="main">
      <AlertNote v-if="error" class="m-3">{{ error.message }}</AlertNote>
      <DataTable
        v-else
        :id="(one) => one.username"
        v-model:order="order"
        :rows="people ?? []"
        :columns="COLUMNS"
        :chosen="chosen?.username"
        label="People"
      >
        <template #name="{ row }"
          ><button
            type="button"
            class="min-h-6 text-left text-marine underline"
            :aria-pressed="chosen?.username === row.username"
            @click="choose(row.username)"
          >
            {{ row.name }}</button
          ><span v-if="row.username === own" class="soft font-normal"> (you)</span></template
        >
        <template #username="{ row }">{{ row.username }}</template>
        <template #role="{ row }">{{ row.role_label }}</template>
        <template #last="{ row }"
          ><span class="soft">{{ row.last_login ? fullTime(row.last_login) : "not yet" }}</span></template
        >
      </DataTable>
    </div>
    <SidePanel label="About a person">
      <AddPerson v-if="adding" @done="choose" @close="adding = false" />
      <SomeonePanel v-else-if="chosen" :key="chosen.username" :someone="chosen" @gone="choose('')" />
      <template v-else>
        <h2>Four roles</h2>
        <p>Each may do what those before it may.</p>
        <section v-for="role in ROLES" :key="role.value" class="card">
          <b>{{ role.label }}</b>
          <p>{{ role.may }}</p>
        </section>
        <p>Choose a person to give another role or a new password, or to remove their access.</p>
      </template>
    </SidePanel>
  </div>
</template>
