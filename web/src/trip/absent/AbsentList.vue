<script setup lang="ts">
/** What becomes of records in reach that the sheet does not have, where it is to be made the same. */
import { computed } from "vue";

import { count, many } from "@/parts/format";
import VerdictSign from "@/parts/VerdictSign.vue";
import AnswerButtons from "@/ui/AnswerButtons.vue";

import { useTripContext } from "../context";
import { type Answer, useDeciding } from "../rows/deciding";
import { BECOMES, EACH, useAbsent } from "./absent";
import AbsentTable from "./AbsentTable.vue";

const { trip, mayPrepare } = useTripContext();
const { absent, file } = useAbsent();
const { decide, open } = useDeciding();
const figures = computed(() => trip.value.absent);
const sums = computed(() =>
  EACH.filter((one) => figures.value?.[one])
    .map((one) => `${count(figures.value?.[one] ?? 0)} ${BECOMES[one].word}`)
    .join(", "),
);
const answerAll = ({ answer }: Answer): void => {
  decide({ answer, code: "absent", count: figures.value?.held ?? 0, records: true });
};
</script>

<template>
  <section v-if="figures && absent?.known" class="border-t border-rule" data-testid="absent-list">
    <div class="flex flex-wrap items-center gap-2 px-3 py-2">
      <h2>
        {{ many(absent.count, "record", "records") }} in reach {{ absent.count === 1 ? "is" : "are" }} not in the sheet
      </h2>
      <span class="soft">of {{ count(figures.reach) }}{{ sums && `: ${sums}` }}</span>
      <span class="flex-1" />
      <AnswerButtons
        v-if="mayPrepare && figures.held"
        :answers="absent.answers"
        :disabled="!open"
        :more="`, all ${count(figures.held)}`"
        @chosen="answerAll"
      />
      <a v-if="absent.count" class="btn sm" :href="file" download>Download as a sheet</a>
    </div>
    <AbsentTable v-if="absent.count" :labels="absent.labels" :records="absent.records" :of="absent.count">
      <template #head>
        <th>What happens</th>
        <th v-if="figures.held">Decide</th>
      </template>
      <template #more="{ record }">
        <td>
          <template v-if="record.verdict"
            ><VerdictSign :verdict="BECOMES[record.verdict].sign" />&nbsp;{{ BECOMES[record.verdict].word }}
            <span class="soft">{{ record.says }}</span></template
          >
          <span v-if="record.pointed.length" class="block text-held">{{ record.pointed.join("; ") }} point to it</span>
        </td>
        <td v-if="figures.held">
          <div v-if="mayPrepare && record.verdict === 'held' && record.row_id != null" class="flex gap-1.5">
            <AnswerButtons
              :answers="absent.answers"
              :disabled="!open"
              @chosen="
                decide({ rows: [record.row_id], answer: $event.answer, code: 'absent', count: 1, records: true })
              "
            />
          </div>
        </td>
      </template>
    </AbsentTable>
  </section>
</template>
