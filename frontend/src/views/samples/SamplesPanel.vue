<script setup lang="ts">
/** Which keys, how each is played, what it comes to; files, and the hand-over. */
import { computed } from "vue";

import type { Settings, Value } from "../../api/types";
import { grouped } from "../../controls/declared";
import JobOutcome from "../../controls/JobOutcome.vue";
import NamesField from "../../controls/NamesField.vue";
import Segments from "../../controls/Segments.vue";
import { isActive } from "../../stores/jobs";
import { useProject } from "../../stores/project";
import { useSamples } from "../../stores/samples";
import { bytes, counted } from "../../theme/words";
import SettingsGroup from "../instrument/SettingsGroup.vue";

const FORMS = [
  { value: "wav24", word: "WAV 24" },
  { value: "wav16", word: "WAV 16", help: "16 bits, dithered" },
  { value: "wav32f", word: "WAV float" },
  { value: "flac", word: "FLAC", help: "24 bits, smaller, nothing lost" },
];
const samples = useSamples();
const project = useProject();

const doc = computed(() => samples.document!);
const groups = computed(() => grouped(project.catalogue.samples));
const told = computed(() => samples.told);
const running = computed(() => isActive(samples.sampling));
const handing = computed(() => isActive(samples.handing));
const rest = (id: string, value: Value, name: string) => void samples.set({ [id]: value } as Settings, name);
const setOf = (path: string, value: unknown, label: string) => void samples.edit(label, [{ op: "replace", path, value }]);
const between = ([least, most]: [number, number], word: (n: number) => string) =>
  least === most ? word(least) : `${word(least)} to ${word(most)}`;
const expected = computed(() => {
  if (samples.notes.length && told.value && !told.value.stale)
    return `${counted(told.value.files.length, "file")} and a map, about ${bytes(told.value.bytes)}.`;
  const found = told.value?.estimate;
  if (!found) return "";
  const keys = found.keys[0] === found.keys[1] ? counted(found.keys[0], "key") : `${found.keys[0]} to ${found.keys[1]} keys`;
  return `About ${keys}: ${between(found.files, String)} files, ${between(found.bytes, bytes)}.`;
});
</script>

<template>
  <aside class="flex w-[22rem] shrink-0 flex-col border-l border-hairline" aria-label="Hand over" :style="{ '--petal': 'var(--ochre)' }">
    <div class="flex min-h-0 flex-1 flex-col gap-3 overflow-y-auto px-4 pt-4 pb-3">
      <SettingsGroup
        v-for="group in groups"
        :key="group.name"
        :name="group.name"
        :declared="group.declared"
        :values="doc.settings as Settings"
        @move="samples.drag"
        @rest="rest"
      >
        <div v-if="group.name === 'Files'" class="flex items-center gap-1">
          <span class="text-soft">format</span>
          <Segments tight label="Format" :model-value="doc.form" :options="FORMS" @update:model-value="setOf('/form', $event, 'Format')" />
        </div>
      </SettingsGroup>
      <NamesField
        :names="doc.names"
        fields="{name}, {root}, {key}, {velocity}, {turn}, {number}"
        @change="setOf('/names', $event, 'Names')"
      />
    </div>
    <div class="flex shrink-0 flex-col gap-1.5 border-t border-hairline px-4 py-3" aria-label="Is it right" role="group">
      <p v-if="told?.wrong" class="border-l-4 border-bad pl-2">{{ told.wrong }}</p>
      <p v-if="told?.stale" class="border-l-4 border-warn pl-2">The settings were changed since: sample again.</p>
      <details v-if="told?.warnings.length" class="border-l-4 border-warn pl-2">
        <summary class="cursor-pointer">
          {{ told.warnings.length === 1 ? "1 thing is" : `${told.warnings.length} things are` }} not right yet
        </summary>
        <p v-for="one in told.warnings" :key="one" class="mt-1 text-soft">{{ one }}</p>
      </details>
      <p v-if="expected" class="text-soft">{{ expected }}</p>
      <p v-if="samples.sampling?.state === 'failed'" class="text-bad">{{ samples.sampling.error }}</p>
      <p v-else-if="samples.sampling?.state === 'done'" class="text-xs text-soft">Done: {{ samples.sampling.result.cost }}.</p>
      <JobOutcome :job="samples.handing" doing="Handing over" />
      <button :class="samples.notes.length ? 'action' : 'action-main'" :disabled="running" @click="samples.make()">
        {{ samples.notes.length ? "Sample again" : "Sample" }}
      </button>
      <button
        v-if="samples.notes.length"
        class="action-main"
        :disabled="handing || running || told?.wrong !== ''"
        @click="samples.handOver()"
      >
        Hand over {{ counted(told?.files.length ?? 0, "file") }}
      </button>
    </div>
  </aside>
</template>
