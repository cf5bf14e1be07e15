<script setup lang="ts">
/** The root of what the recipe makes: how sure, how steady, corrected by hand, tuned by ear. */
import { computed, ref } from "vue";

import type { Pitch, Stage } from "../../api/types";
import NoteEntry from "../../controls/NoteEntry.vue";
import { useBench } from "../../stores/bench";
import { useLive } from "../../stores/live";
import { useProject } from "../../stores/project";
import { hertzOf, noteName, noteOf } from "../../theme/words";

const props = defineProps<{ stage: Stage | null; pitch: Pitch | null }>();
const bench = useBench();
const live = useLive();
const project = useProject();
const tuning = ref(false);

/** Until the recipe has been worked out, what the recording was measured to be. */
const shown = computed(() => props.stage ?? (bench.recording ? { ...bench.recording.measured, root_how: "waiting" } : null));
const note = computed(() => (shown.value?.root_hz ? noteOf(shown.value.root_hz, project.settings.tuning) : null));
/** The strongest lasting partial, where there is no clear pitch. */
const partial = computed(() => {
  const hz = shown.value?.partial_hz;
  return hz ? Math.round(100 * noteOf(hz, project.settings.tuning)) / 100 : null;
});
const steady = computed(() => props.pitch?.steadiest ?? null);
const sure = computed(() => Math.round(100 * (props.stage?.confidence ?? 0)));
/** A *Normalise* that comes before what raises the level again. */
const early = computed(() => bench.steps.findLastIndex((one) => one.do === "normalise" && one.on));
const unsure = computed(() => {
  const share = Math.round(100 * (shown.value?.partial_share ?? 0));
  return `A partial lasts and holds ${share} % of the energy, but the rest does not fit it as a root`;
});
const how = computed(() => {
  if (!props.stage) return "of the recording";
  if (props.stage.root_how === "given") return "said by you";
  if (props.stage.root_how === "steadiest") return "steadiest stretch";
  if (props.stage.root_how === "made") return "as the tone was made";
  if (props.stage.root_how === "none") return "said by you";
  return note.value === null ? "as measured" : `confidence ${sure.value} %`;
});

function give(root: number | null): void {
  void bench.withStep(
    "root",
    root === null ? { how: "no clear pitch" } : { how: "given", note: root },
    root === null ? "No clear pitch" : "Root",
  );
  bench.turnTo("after");
}

/** Measured on what is made, and anew whenever that changes. */
function takeSteadiest(): void {
  void bench.withStep("root", { how: "steadiest" }, "Root: steadiest");
  bench.turnTo("after");
}

/** The root against the material, both going on, to tune by ear. */
function sound(): void {
  if (live.listeningTo) {
    tuning.value = false;
    return live.hush();
  }
  if (!props.stage || note.value === null) return;
  tuning.value = true;
  play(note.value);
}

function play(at: number): void {
  const stage = props.stage!;
  const known = stage.loops[0];
  const loop = known
    ? { start: known.start / stage.rate, end: known.end / stage.rate, direction: known.direction }
    : { start: 0, end: stage.duration_s, direction: "forward" as const };
  if (loop.end - loop.start > 150) loop.end = loop.start + 150;
  live.listen(stage.key, loop.start, {
    loop: { ...loop, crossfade: known ? 0 : 20, curve: "equal power" },
    tone: hertzOf(at, project.settings.tuning),
  });
}

function nudge(by: number): void {
  if (note.value === null) return;
  const next = Math.round(100 * (note.value + by)) / 100;
  give(next);
  if (tuning.value) play(next);
}
</script>

<template>
  <section aria-label="Root">
    <div class="flex items-baseline gap-2 whitespace-nowrap">
      <h2 class="font-serif text-base font-semibold">Root</h2>
      <span class="font-serif text-lg"
        ><NoteEntry
          :note="note === null ? null : Math.round(100 * note) / 100"
          label="Root note"
          or-none
          help="Click to correct; leave it empty for no clear pitch"
          @change="give"
      /></span>
      <span class="text-soft"><template v-if="shown?.root_hz">{{ shown.root_hz.toFixed(2) }} Hz</template></span>
      <span class="ml-auto truncate text-soft">{{ how }}</span>
    </div>
    <div class="flex items-baseline gap-1 whitespace-nowrap">
      <template v-if="note !== null">
        <button class="quiet !px-1" title="Root one cent lower" @click="nudge(-0.01)">−1 ct</button>
        <button class="quiet !px-1" title="Root one cent higher" @click="nudge(0.01)">+1 ct</button>
        <button class="quiet text-focus" title="A tone at the root beside the material, both going on, to tune by ear" @click="sound">
          {{ tuning && live.listeningTo ? "Stop" : "Sound the root" }}
        </button>
      </template>
      <button v-else-if="partial !== null" class="quiet !px-1 text-focus" :title="unsure" @click="give(partial)">
        Perhaps {{ noteName(partial) }}: take it
      </button>
      <button
        v-if="steady"
        class="quiet ml-auto truncate text-focus"
        title="Take the root from the steadiest stretch of what the recipe makes"
        @click="takeSteadiest"
      >
        Steadiest
      </button>
    </div>
    <p v-if="stage?.over" class="border-l-4 border-warn pl-2" role="status">
      {{ stage.over }}
      <button v-if="early >= 0" class="quiet text-focus" @click="bench.putInPlace(early)">Move it</button>
    </p>
    <p v-if="pitch" class="truncate text-xs text-soft">
      <template v-if="pitch.stability_cents != null"
        >Strays by {{ pitch.stability_cents.toFixed(pitch.stability_cents < 10 ? 1 : 0) }} cents in view<template v-if="steady"
          >; steadiest {{ steady.start.toFixed(1) }} to {{ steady.end.toFixed(1) }} s</template
        ></template
      >
      <template v-else>No pitch in view</template>
    </p>
  </section>
</template>
