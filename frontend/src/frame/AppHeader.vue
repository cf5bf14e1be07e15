<script setup lang="ts">
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/vue";
import { computed } from "vue";

import EditableName from "../controls/EditableName.vue";
import Segments from "../controls/Segments.vue";
import { useBench } from "../stores/bench";
import { useDeliver } from "../stores/deliver";
import { useInstrument } from "../stores/instrument";
import { useLive } from "../stores/live";
import { useProject } from "../stores/project";
import { useTakes } from "../stores/takes";
import { useLight } from "../theme/light";
import OutputMeter from "./OutputMeter.vue";
import ProjectPanel from "./ProjectPanel.vue";
import Wordmark from "./Wordmark.vue";

defineEmits<{ help: [] }>();
const live = useLive();
const project = useProject();
const instrument = useInstrument();
const bench = useBench();
const takes = useTakes();
const deliver = useDeliver();
const { light, toggle } = useLight();

const BLOCK_MS = 256 / 48;
const RINGS = [4, 5, 6, 8, 10, 12].map((value) => ({ value, word: `${Math.round(value * BLOCK_MS)} ms` }));
const states = { off: "Sound off", starting: "Starting", on: "Sound on", reconnecting: "Reconnecting" };
const dot = computed(() => ({ off: "border border-soft", starting: "bg-warn", on: "bg-good", reconnecting: "bg-warn" })[live.state]);
const load = computed(() => Math.round(100 * live.look.load));
/** Where a step was left is where it is come back to. */
const left = (path: string, id: number | null) => (id === null ? path : `${path}/${id}`);
const steps = computed(() => [
  { word: "Field", names: ["field"], to: "/field" },
  { word: "Bench", names: ["bench"], to: left("/bench", bench.last) },
  { word: "Instrument", names: ["instrument", "ensemble", "swap"], to: left("/instrument", instrument.id) },
  { word: "Takes", names: ["takes"], to: left("/takes", takes.id) },
  { word: "Deliver", names: ["deliver", "picture", "samples"], to: deliver.left },
]);
</script>

<template>
  <header class="flex h-11 shrink-0 items-center gap-2 border-b border-hairline px-3.5 xl:gap-3 whitespace-nowrap">
    <Wordmark />
    <span class="hidden font-serif text-base font-semibold xl:inline">Inner Bloom</span>
    <span class="h-6 w-px bg-hairline" />
    <span class="flex w-36 min-w-0 text-soft xl:w-44">
      <EditableName :name="project.settings.project" what="project" @rename="project.change({ project: $event })" />
      <ProjectPanel />
    </span>
    <nav class="flex flex-1 items-center justify-center gap-3 self-stretch" aria-label="Steps of the work">
      <template v-for="(one, i) in steps" :key="one.word">
        <span v-if="i" class="hidden h-px w-4 bg-hairline xl:inline" />
        <RouterLink v-slot="{ href, navigate }" :to="one.to" custom>
          <a
            :href="href"
            class="step"
            :class="{ active: one.names.includes(String($route.name)) }"
            :aria-current="one.names.includes(String($route.name)) ? 'page' : undefined"
            @click="navigate"
            >{{ one.word }}</a
          >
        </RouterLink>
      </template>
    </nav>
    <button
      class="quiet flex items-center gap-2"
      :title="live.state === 'off' ? 'Turn sound on' : 'Turn sound off'"
      @click="live.state === 'off' ? live.start() : live.stop()"
    >
      <i class="size-2.5 rounded-full" :class="dot" />
      {{ states[live.state] }}
    </button>
    <Popover v-if="live.state !== 'off'" class="relative">
      <PopoverButton class="quiet text-soft" title="Latency, load of the engine, and dropouts so far">
        {{ live.latencyMs }} ms
        <span class="ml-2" :class="load > 80 ? 'font-semibold text-bad' : ''">load {{ load }} %</span>
        <span v-if="live.dropouts" class="ml-2 text-warn">{{ live.dropouts }} {{ live.dropouts === 1 ? "dropout" : "dropouts" }}</span>
      </PopoverButton>
      <PopoverPanel class="floating absolute right-0 z-20 mt-2 w-80 p-4 whitespace-normal">
        <p class="heading mb-2">Latency</p>
        <Segments :model-value="live.ring" label="Latency" :options="RINGS" @update:model-value="live.setRing($event)" />
        <p class="mt-3 text-soft">
          Sound kept ready ahead of you. Less follows the hand more closely; more rides out a busy machine. It grows by itself when dropouts
          come close together. Your audio device adds its own.
        </p>
      </PopoverPanel>
    </Popover>
    <OutputMeter />
    <button class="quiet" :title="light === 'day' ? 'Switch to the dark light' : 'Switch to the bright light'" @click="toggle">
      {{ light === "day" ? "Dusk" : "Day" }}
    </button>
    <button class="quiet" title="The handbook, at the page of this view; keys and gestures are under ?" @click="$emit('help')">Help</button>
  </header>
</template>

<style scoped>
.step {
  display: flex;
  align-items: center;
  height: 100%;
  padding: 0 2px;
  color: var(--ink-soft);
  border-bottom: 3px solid transparent;
  border-top: 3px solid transparent;
}
.step.active {
  color: var(--ink);
  font-weight: 600;
  border-bottom-color: var(--ink);
}
</style>
