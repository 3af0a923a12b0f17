<script setup lang="ts">
/** How the sheet is made, and what is to be known before it goes. */
import { computed } from "vue";

import type { Document, RecordType, Schemas } from "@/api/client";
import { count, many, when } from "@/parts/format";
import SidePanel from "@/ui/SidePanel.vue";

import type { Offered } from "@/conditions/fields";
import PickedCard from "./PickedCard.vue";
import ShareCard from "./ShareCard.vue";

const FORMATS = ["xlsx", "ods", "csv", "tsv"] as const;
const props = defineProps<{
  application: string;
  type: RecordType | undefined;
  fields: readonly Offered[];
  ticked: readonly string[];
  preview: Schemas["Preview"] | undefined;
  selection: Schemas["Selection"] | undefined;
  /** Preview and selection are of what is said now. */
  current: boolean;
}>();
const said = defineModel<Document>({ required: true });
const title = defineModel<string>("title", { required: true });
const isBook = computed(() => said.value.format === "xlsx" || said.value.format === "ods");
/** Fields that set one value and are both chosen. */
const twice = computed(() => {
  const chosen = said.value.chosen ?? [];
  return props.fields
    .filter((one) => !one.far && chosen.includes(one.name) && one.field.instead_of.length)
    .flatMap((one) =>
      one.field.instead_of
        .filter((other) => chosen.indexOf(other) > chosen.indexOf(one.name))
        .map((other) => ({ first: one.label, second: props.fields.find((f) => f.name === other)?.label ?? other })),
    );
});
const set = (now: Partial<Document>): void => {
  said.value = { ...said.value, ...now };
};
</script>

<template>
  <SidePanel class="!w-[254px]" label="The sheet">
    <h2>The sheet</h2>
    <div class="flex gap-2" role="group" aria-label="Format">
      <button
        v-for="one in FORMATS"
        :key="one"
        type="button"
        class="chip"
        :aria-pressed="said.format === one"
        @click="set({ format: one })"
      >
        {{ one.toUpperCase() }}
      </button>
    </div>
    <p>
      {{
        isBook
          ? "Header and keys stay in view, choices have drop-downs, codes stay text (007)."
          : "UTF-8. Text that a spreadsheet would run as a formula is made harmless and comes back unchanged."
      }}
    </p>
    <label
      ><span class="field-label">The trip's name</span
      ><input v-model="title" class="input" :placeholder="type?.plural" maxlength="160"
    /></label>
    <section
      v-if="selection?.also_out?.length"
      class="card !border-held"
      :class="{ 'opacity-60': !current }"
      data-testid="also-out"
    >
      <b class="text-held">Out already</b>
      <p v-for="one in selection.also_out" :key="one.trip">
        <b>{{ count(one.count) }}</b> of these are out on
        <RouterLink class="underline" :to="`/trips/${one.trip}`">{{ one.title }}</RouterLink>, {{ one.by }}, since
        {{ when(one.since) }}.
      </p>
    </section>
    <p v-if="selection?.also_out_note" class="soft text-small">{{ selection.also_out_note }}</p>
    <section v-for="one in twice" :key="one.second" class="card">
      <b>Two fields, one value</b>
      <p>{{ one.first }} and {{ one.second }} set the same value. {{ one.second }} goes out to be read.</p>
    </section>
    <p v-if="(preview?.files ?? 1) > 1 && !said.share" class="!text-held" role="note">
      A worksheet holds 1,048,575 records: these go out as {{ many(preview?.files ?? 1, "file", "files") }}, each a part
      of the trip.
    </p>
    <template v-if="type && !said.headers_only">
      <ShareCard
        :model-value="said.share"
        :application="application"
        :record-type="type.name"
        :fields="fields"
        @update:model-value="set({ share: $event ?? null })"
      />
      <PickedCard
        :model-value="said.picked"
        :application="application"
        :type="type"
        :ticked="ticked"
        :missing="preview?.missing ?? 0"
        :not-found="preview?.not_found ?? []"
        @update:model-value="set({ picked: $event ?? null })"
      />
    </template>
    <section class="card">
      <label class="flex items-start gap-2"
        ><input
          type="checkbox"
          class="mt-0.5 h-4 w-4 accent-marine"
          :checked="said.headers_only"
          @change="set({ headers_only: !said.headers_only, share: null, picked: null })"
        /><span><b>Headers only</b>, to fill by hand: required fields first</span></label
      >
      <label v-if="said.headers_only && said.format === 'xlsx'" class="mt-2 flex items-start gap-2"
        ><input
          type="checkbox"
          class="mt-0.5 h-4 w-4 accent-marine"
          :checked="said.help"
          @change="set({ help: !said.help })"
        /><span>with a worksheet that explains each column, and an example</span></label
      >
    </section>
    <section class="card">
      <b>Kept here too</b>
      <p>A copy stays with the trip. It is your backup, and tells your edits from other people's.</p>
    </section>
  </SidePanel>
</template>
