<script setup lang="ts">
import { computed, ref } from "vue";
import { useRouter } from "vue-router";

import { api, data, type Document } from "@/api/client";
import { useMay } from "@/api/queries";
import { count, exact, many } from "@/parts/format";
import StageLabel from "@/parts/StageLabel.vue";
import { useFootNote } from "@/services/foot";
import { useKeys } from "@/services/keys";
import BusyButton from "@/ui/BusyButton.vue";
import ChoiceList from "@/ui/ChoiceList.vue";
import { useDoing } from "@/ui/doing";
import SearchPart from "@/ui/SearchPart.vue";

import { useAskedRoute } from "./askedRoute";
import { awaited } from "./awaited";
import ClausePart from "@/conditions/ClausePart.vue";
import { asGroup, isGroup, type Part } from "@/conditions/conditions";
import { counting, useSendOut } from "./document";
import FieldList from "./FieldList.vue";
import KeepRoute from "./KeepRoute.vue";
import OrderPart from "./OrderPart.vue";
import PreviewTable from "./PreviewTable.vue";
import SheetSide from "./SheetSide.vue";
import { usePreview } from "./usePreview";

defineEmits<{ bring: [] }>();
const router = useRouter();
const mayPrepare = useMay("prepare");
const { application, applications, types, type, fields, byName, fixed, said, text, sentence, slip, asking, take } =
  useSendOut();
const title = ref("");
const ticked = ref<string[]>([]);
const asText = ref(false);
const textInput = ref<HTMLInputElement>();
const finder = ref<{ find: () => void }>();

const { route, waits, missed } = useAskedRoute(take);
const keeping = ref(false);
/** The document as it is said now, for the server. */
const document_ = computed<Document>({
  get: () => ({ ...said }),
  set: (now) => Object.assign(said, now),
});
const outer = computed(() => asGroup(sentence.value));
function changed(now: Part): void {
  sentence.value = isGroup(now) && !now.parts.length ? null : now;
}

const places = computed(() => (applications.value ?? []).map((a) => ({ value: a.name, label: a.label })));
const typeOptions = computed(() => types.value.map((one) => ({ value: one.name, label: one.label, note: one.plural })));
const stage = computed(() => applications.value?.find((a) => a.name === application.value)?.stage);
const { settled, preview, selection, current, trouble } = usePreview({ application, types, said, slip, asking });
const sums = computed(() =>
  Object.entries(selection.data.value?.totals ?? {}).map(([name, sum]) => ({
    label: byName.value.get(name)?.label ?? name,
    sum,
  })),
);
const usualOrder = computed(() =>
  said.picked
    ? "the list"
    : (type.value?.keys[0] ?? []).map((name) => byName.value.get(name)?.label ?? name).join(", "),
);

const sending = useDoing(
  async () => {
    const body = {
      ...counting(said),
      application: application.value,
      title: title.value,
      route: route.value?.id ?? null,
    };
    return data(api.POST("/api/sent-out", { body }));
  },
  {
    done: (job) => {
      if (!job.trip) return;
      awaited.add(job.trip);
      return router.push(`/trips/${job.trip}/file`);
    },
  },
);
const canSend = computed(
  () => !waits.value && !trouble.value && !!preview.data.value && current.value && mayPrepare.value,
);
const goes = computed(() => {
  if (said.headers_only) return "Send out the empty sheet";
  const rows = preview.data.value && current.value ? many(preview.data.value.count, "row", "rows") : "";
  return said.share ? `Share out ${rows}` : `Send out ${rows}`;
});
function send(): void {
  if (canSend.value) sending.start();
}
function showText(): void {
  asText.value = true;
  requestAnimationFrame(() => textInput.value?.focus());
}
useKeys("Sending out", [
  { key: "+", says: "find a field", run: () => finder.value?.find() },
  { key: "/", says: "condition as text", run: showText },
  { key: "Ctrl Enter", says: "send out", run: send },
]);
useFootNote(() => "reading only: the application is not changed");
</script>

<template>
  <div class="where">
    <StageLabel v-if="stage" :stage="stage" />
    <ChoiceList v-model="application" as="pill" label="Application" :options="places" />
    <h1>Send records out</h1>
    <span v-if="route" class="soft">on the route <b>{{ route.name }}</b></span>
    <span class="ml-auto" />
    <button v-if="mayPrepare" type="button" class="btn" :disabled="!!slip || asking || !type" @click="keeping = true">
      Keep as route
    </button>
    <BusyButton
      type="button"
      class="go"
      :busy="sending.busy.value"
      :disabled="!canSend"
      data-testid="send"
      @click="send"
    >
      {{ goes }}
    </BusyButton>
  </div>
  <p v-if="missed" class="alert held mx-4 mb-2 flex-none" role="alert">{{ missed }}</p>
  <ul v-if="route?.lost.length" class="alert held mx-4 mb-2 flex-none" role="alert">
    <li v-for="one in route.lost" :key="one">{{ one }}</li>
  </ul>
  <div
    :inert="waits"
    class="flex max-h-[38%] flex-none flex-wrap items-baseline gap-x-2 gap-y-1 overflow-auto border-t border-rule bg-panel px-4 py-2.5 text-title"
    data-testid="sentence"
  >
    {{ said.headers_only ? "An empty sheet for" : said.picked ? "Each picked" : "Every" }}
    <SearchPart v-model="said.record_type" label="Record type" bold :options="typeOptions" />
    <template v-if="!said.picked && !said.headers_only">
      where
      <ClausePart
        outer
        :part="outer"
        :fields="fields"
        :application="application"
        :record-type="said.record_type"
        @change="changed"
      />
      <button
        type="button"
        class="chip self-center"
        :aria-pressed="asText"
        @click="asText ? (asText = false) : showText()"
      >
        as text
      </button>
    </template>
    <OrderPart v-if="type && !said.headers_only" v-model="said.order" :fields="fields" :usual="usualOrder" />
    <span v-if="!said.headers_only" class="soft ml-auto text-body"
      ><b class="mono text-ink">{{ preview.data.value && current ? count(preview.data.value.count) : "…" }}</b> of
      {{ preview.data.value ? count(preview.data.value.total) : "…" }} records</span
    >
    <input
      v-if="asText && !said.picked && !said.headers_only"
      ref="textInput"
      v-model="text"
      class="mono w-full border-b-2 border-marine bg-transparent px-1 py-1 text-body"
      :class="{ '!border-reject': slip }"
      aria-label="Condition"
      aria-describedby="slip"
      spellcheck="false"
      placeholder="all of them, or such as: harbour eq 'NORTHHAVEN' and daily_rate gt 40"
    />
    <pre v-if="trouble" id="slip" class="mono w-full text-small whitespace-pre-wrap text-reject" role="alert">{{
      trouble
    }}</pre>
  </div>
  <div class="work" :inert="waits">
    <section class="w-[282px] flex-none overflow-auto border-r border-rule p-3" aria-label="Fields" tabindex="-1">
      <FieldList v-if="type" ref="finder" v-model="said.chosen" :type="type" :fixed="fixed" :fields="fields" />
    </section>
    <div class="main">
      <div class="tools">
        <b>The sheet as it will be</b
        ><span v-if="preview.data.value && !said.headers_only" class="soft"
          >first {{ many(preview.data.value.rows.length, "row", "rows") }}</span
        >
        <span
          class="ml-auto flex flex-wrap justify-end gap-x-4"
          :class="{ 'opacity-60': !current }"
          aria-live="polite"
          data-testid="sums"
        >
          <span v-for="one in sums" :key="one.label">Σ {{ one.label }} <b class="mono">{{ exact(one.sum) }}</b></span>
          <span v-if="selection.data.value?.totals === null" class="soft">sums come with the sheet</span>
        </span>
      </div>
      <div class="min-h-0 flex-1 overflow-auto" tabindex="0" role="region" aria-label="Preview">
        <PreviewTable
          v-if="preview.data.value && type"
          v-model:ticked="ticked"
          :class="{ 'opacity-60': !current || !!trouble }"
          :aria-busy="!current || undefined"
          :preview="preview.data.value"
          :chosen="settled.asked.chosen"
          :fields="byName"
          :type="type"
          :fixed="fixed"
          :empty="said.headers_only"
        />
        <p v-else-if="preview.isFetching.value" class="soft p-5">Asking the application…</p>
        <p v-if="preview.data.value && !preview.data.value.count && !said.headers_only" class="soft p-5">
          No record meets this condition.
        </p>
      </div>
    </div>
    <SheetSide
      v-model="document_"
      v-model:title="title"
      :application="application"
      :type="type"
      :fields="fields"
      :ticked="ticked"
      :preview="preview.data.value"
      :selection="selection.data.value"
      :current="current"
    />
  </div>
  <KeepRoute
    :open="keeping"
    :application="application"
    :document="counting(document_)"
    :route="route"
    @close="keeping = false"
    @kept="route = $event"
  />
</template>
