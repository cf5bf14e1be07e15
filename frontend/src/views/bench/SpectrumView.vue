<script setup lang="ts">
/** A spectrum on the Bench: what is this sound made of? */
import { useLocalStorage } from "@vueuse/core";
import { computed, onBeforeUnmount, onMounted, ref, watch } from "vue";
import { useRouter } from "vue-router";

import ExportChoices from "../../controls/ExportChoices.vue";
import MenuButton from "../../controls/MenuButton.vue";
import type { Value } from "../../api/types";
import DeclaredControls from "../../controls/DeclaredControls.vue";
import Segments from "../../controls/Segments.vue";
import { useShelf } from "../../stores/shelf";
import { useLive } from "../../stores/live";
import { useSpectrum } from "../../stores/spectrum";
import BenchHeader from "./BenchHeader.vue";
import { useKeeping } from "./keeping";
import KeepPanel from "./KeepPanel.vue";
import Overview from "./Overview.vue";
import type { Shown } from "./picture";
import PictureSettings, { type Settings } from "./PictureSettings.vue";
import SoundPicture from "./SoundPicture.vue";
import WorkState from "./WorkState.vue";
import { useZoom } from "./zoom";
import { counted } from "../../theme/words";

type Part = "original" | "together" | "partials" | "strikes" | "noise";

const props = defineProps<{ id: number }>();
const router = useRouter();
const spectrum = useSpectrum();
const shelf = useShelf();
const live = useLive();
const settings = useLocalStorage<Settings>("bloom-bench-picture", { axis: "log", low: -95, high: -20, pitch: true });
const part = ref<Part>("together");

const PARTS: { value: Part; word: string; help: string }[] = [
  { value: "original", word: "Recording", help: "As recorded, to compare" },
  { value: "together", word: "All parts", help: "Partials, strikes and noise put together again" },
  { value: "partials", word: "Partials", help: "Partials alone" },
  { value: "strikes", word: "Strikes", help: "Beginnings that are kept as they were" },
  { value: "noise", word: "Noise", help: "Noise alone, made anew" },
];

const sound = computed(() => spectrum.document?.sound ?? null);
const original = computed(() => shelf.byDigest.get(sound.value?.recording ?? ""));
const { view, look, whole } = useZoom(() => original.value && Math.round(original.value.duration_s * original.value.rate));
const shown = computed<Shown | null>(() => {
  if (!original.value) return null;
  const { duration_s, rate } = original.value;
  return { key: original.value.digest, frames: Math.round(duration_s * rate), rate, ...view.value };
});
const loudest = computed(() => 10 ** (Math.max(-50, original.value?.peak_dbfs ?? 0) / 20));
const tracks = computed(() => ({
  tracks: spectrum.picture?.tracks ?? [],
  strikes: spectrum.picture?.strikes ?? [],
  start: sound.value?.start ?? 0,
}));
const key = computed(() => (part.value === "original" ? original.value?.digest : spectrum.made?.parts[part.value]) ?? null);
const heard = computed(() => key.value !== null && live.listeningTo === key.value);
/** Parts begin where the stretch begins that was taken apart. */
const offset = computed(() => (part.value === "original" ? 0 : (sound.value?.start ?? 0)));
const heardAt = computed(() => (heard.value && live.look.listening !== null ? live.look.listening + offset.value : null));
const subtitle = computed(() => {
  const made = spectrum.made;
  if (!made) return "";
  const strikes = made.strikes ? `, ${counted(made.strikes, "strike")}` : "";
  if (!made.partials) return `all noise${strikes}`;
  const power = Math.round(100 * made.tonal);
  return `${counted(made.partials, "partial")}, ${made.at_once} at once, with ${power} % of the power${strikes}`;
});
/** As set; where the sound chooses, as it chose. */
const analysis = computed(() => sound.value?.analysis ?? null);
const settled = computed(() => ({ ...analysis.value, window_ms: analysis.value?.window_ms ?? spectrum.made?.window_ms ?? null }));

onMounted(async () => {
  if (!(await spectrum.open(props.id))) await router.replace("/field");
});
onBeforeUnmount(() => {
  live.hush();
  spectrum.leave();
});
watch(
  () => shown.value?.frames,
  (frames) => frames && whole(),
  { immediate: true },
);

function listen(at: number): void {
  if (key.value) live.listen(key.value, Math.max(0, at - offset.value));
}

function toggle(): void {
  if (heard.value) live.hush();
  else listen(shown.value ? view.value.from / shown.value.rate : 0);
}

/** Another part goes on from where the last one is heard. */
function choose(next: Part): void {
  const at = heardAt.value;
  part.value = next;
  if (at !== null) listen(at);
}

function set(id: string, to: Value | null, name: string): void {
  void spectrum.edit(name, ({ sound: one }) => (one.analysis = { ...one.analysis!, [id]: to }));
}

function rename(name: string): void {
  void spectrum.edit("Rename", (document) => (document.name = name));
}

const { keep, grow } = useKeeping({
  name: () => spectrum.document!.name,
  keep: spectrum.keep,
  back: spectrum.back,
  isOpen: () => spectrum.recording !== null,
  listen: toggle,
});
</script>

<template>
  <div v-if="spectrum.recording && spectrum.document" class="flex h-full">
    <section class="flex min-w-0 flex-1 flex-col px-6 pt-3 pb-3" aria-label="Spectrum">
      <BenchHeader :name="spectrum.document.name" what="spectrum" :subtitle="subtitle" :revised="spectrum" @rename="rename">
        <PictureSettings v-model="settings" />
        <MenuButton word="File">
          <ExportChoices v-if="id" of="spectrum" :id="id" />
        </MenuButton>
      </BenchHeader>
      <template v-if="shown">
        <Overview class="mt-1.5 mr-11" :shown="shown" @view="look" />
        <div class="relative mt-1.5 min-h-40 flex-1">
          <SoundPicture
            class="h-full"
            :shown="shown"
            :settings="settings"
            :loudest="loudest"
            :marks="null"
            :pitch="null"
            :onsets="null"
            :splits="[]"
            :piece="null"
            :heard-at="heardAt"
            :root-hz="null"
            :partials="tracks"
            @view="look"
            @listen="listen"
          />
          <WorkState
            :problem="spectrum.problem"
            :working="spectrum.working"
            word="taking it apart"
            label="Taking it apart"
            :alone="!spectrum.made"
          />
        </div>
      </template>
      <p v-else class="mt-4 text-warn">The recording this was taken from is no longer on the shelf: it still plays, but cannot be shown.</p>
      <div class="mt-2 flex shrink-0 items-center gap-3">
        <button class="action" :disabled="!key" title="Enter; a click on the picture listens from there" @click="toggle">
          {{ heard ? "Stop" : "Listen" }}
        </button>
        <Segments :model-value="part" label="What is heard" :options="PARTS" @update:model-value="choose" />
        <span class="min-w-0 truncate text-soft">Lines are partials, ticks above are strikes.</span>
      </div>
    </section>
    <aside class="flex w-[21rem] shrink-0 flex-col border-l border-hairline" aria-label="How it is taken apart">
      <div class="flex min-h-0 flex-1 flex-col gap-4 overflow-x-hidden overflow-y-auto px-5 py-3">
        <section aria-label="How it is taken apart" class="flex flex-col gap-2">
          <h2 class="font-serif text-lg">Taken from <span class="italic">{{ sound?.name || "a recording" }}</span></h2>
          <DeclaredControls :declared="spectrum.words" :values="settled" @move="spectrum.move" @rest="set" />
          <button
            v-if="analysis?.window_ms != null"
            class="quiet -ml-1.5 self-start text-focus"
            @click="set('window_ms', null, 'resolution')"
          >
            Let the sound choose the resolution
          </button>
          <p v-else class="text-soft">The resolution is chosen by the sound; drag the rule to set it.</p>
        </section>
        <section>
          <h2 class="font-serif text-lg">Play it below</h2>
          <p class="text-soft">
            Any key, at its own pace; the mod wheel slows it until it stands still, up and down on the surface moves its formants.
          </p>
        </section>
      </div>
      <KeepPanel what="spectrum" including="settings" plays="plays it" :disabled="!spectrum.made" @keep="keep" @grow="grow" />
    </aside>
  </div>
</template>
