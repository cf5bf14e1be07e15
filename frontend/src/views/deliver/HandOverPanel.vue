<script setup lang="ts">
/** What may vary, how each ends, how loud it is; names, files, what is not right yet, and the hand-over. */
import { computed } from "vue";

import type { Settings, Value } from "../../api/types";
import { grouped } from "../../controls/declared";
import JobOutcome from "../../controls/JobOutcome.vue";
import NamesField from "../../controls/NamesField.vue";
import Segments from "../../controls/Segments.vue";
import TypedInPlace from "../../controls/TypedInPlace.vue";
import { isActive } from "../../stores/jobs";
import { useProject } from "../../stores/project";
import { useVariations } from "../../stores/variations";
import { seconds } from "../../theme/words";
import SettingsGroup from "../instrument/SettingsGroup.vue";
import UnlikeMap from "./UnlikeMap.vue";

const FORMS = [
  { value: "wav24", word: "WAV 24" },
  { value: "wav16", word: "WAV 16", help: "16 bits, dithered" },
  { value: "wav32f", word: "WAV float" },
  { value: "flac", word: "FLAC" },
  { value: "ogg", word: "OGG", help: "Vorbis; holds no loop" },
  { value: "opus", word: "Opus", help: "At 48 kHz or 24; holds no loop" },
];
const RATES = [
  { value: 0, word: "48 kHz" },
  { value: 44_100, word: "44.1" },
  { value: 32_000, word: "32" },
  { value: 24_000, word: "24" },
];
const variations = useVariations();
const project = useProject();

const doc = computed(() => variations.document!);
const groups = computed(() => grouped(project.catalogue.variations));
const told = computed(() => variations.told);
const job = computed(() => variations.handing);
const running = computed(() => isActive(job.value));
const rest = (id: string, value: Value, name: string) => void variations.set({ [id]: value } as Settings, name);
const setOf = (path: string, value: unknown, label: string) => void variations.edit(label, [{ op: "replace", path, value }]);

function began(text: string): void {
  const at = Number(text.replace(",", ".").replace(/\s*s$/i, ""));
  if (text && Number.isFinite(at) && at >= 0) setOf("/start", at, "Where it begins");
}
</script>

<template>
  <aside class="flex w-[22rem] shrink-0 flex-col border-l border-hairline" aria-label="Hand over" :style="{ '--petal': 'var(--ochre)' }">
    <div class="flex min-h-0 flex-1 flex-col gap-3 overflow-y-auto px-4 pt-4 pb-3">
      <section v-if="variations.drawn.length" aria-label="How unlike">
        <p class="mb-1 flex items-baseline justify-between">
          <span class="font-serif text-lg">How unlike</span><span class="text-soft">each a point, near is alike</span>
        </p>
        <UnlikeMap />
      </section>
      <section v-if="doc.take !== null" aria-label="What is played">
        <h3 class="heading mb-1">What is played</h3>
        <p>
          Of a take, from
          <TypedInPlace
            :shown="`${doc.start.toFixed(1)} s`"
            :start="String(doc.start)"
            label="Where in the take it begins, in seconds"
            entry-class="w-16"
            @typed="began"
          />
          on, as long as it is <i>held</i>.
        </p>
        <p class="text-soft">C4 and velocity 100 play it as it was played.</p>
      </section>
      <SettingsGroup
        v-for="group in groups"
        :key="group.name"
        :name="group.name"
        :declared="group.declared"
        :values="doc.settings as Settings"
        @move="variations.drag"
        @rest="rest"
      />
      <section aria-label="Files">
        <h3 class="heading mb-1">Files</h3>
        <Segments
          tight
          class="-ml-1.5"
          label="Format"
          :model-value="doc.form"
          :options="FORMS"
          @update:model-value="setOf('/form', $event, 'Format')"
        />
        <Segments
          tight
          class="-ml-1.5"
          label="Rate"
          :model-value="doc.rate ?? 0"
          :options="RATES"
          @update:model-value="setOf('/rate', $event || null, 'Rate')"
        />
        <NamesField
          class="mt-1"
          :names="doc.names"
          fields="{name}, {number}, {root}, {snapshot}"
          @change="setOf('/names', $event, 'Names')"
        />
      </section>
    </div>
    <div class="flex shrink-0 flex-col gap-1.5 border-t border-hairline px-4 py-3" aria-label="Is it right" role="group">
      <p v-if="told?.wrong" class="border-l-4 border-bad pl-2">{{ told.wrong }}</p>
      <details v-if="told?.warnings.length" class="border-l-4 border-warn pl-2">
        <summary class="cursor-pointer">
          {{ told.warnings.length === 1 ? "1 thing is" : `${told.warnings.length} things are` }} not right yet
        </summary>
        <p v-for="one in told.warnings" :key="one" class="mt-1 text-soft">{{ one }}</p>
      </details>
      <p v-if="told?.kept && !told.wrong" class="text-soft">
        {{ told.kept }} sounds, {{ seconds(told.seconds) }}; contents as CSV and JSON, credits, checksums.
      </p>
      <p v-if="variations.drawing?.state === 'done'" class="text-xs text-soft">Drawn: {{ variations.drawing.result.cost }}.</p>
      <JobOutcome :job="job" doing="Handing over" />
      <button class="action-main" :disabled="running || !told?.kept || told.wrong !== ''" @click="variations.handOver()">
        {{ told?.kept ? `Hand over ${told.kept} ${told.kept === 1 ? "variation" : "variations"}` : "Hand over" }}
      </button>
    </div>
  </aside>
</template>
