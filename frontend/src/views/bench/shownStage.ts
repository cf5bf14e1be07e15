import { computed, watch } from "vue";

import { number } from "../../api/types";
import { useBench } from "../../stores/bench";
import { usePieces } from "../../stores/pieces";
import { marksOf, onRecording } from "./marks";
import type { Shown } from "./picture";
import { useZoom } from "./zoom";

/** What the Bench shows now: a stage of the recipe and the stretch of it in view, what may be dragged there, and its words. */
export function useShownStage() {
  const bench = useBench();
  const pieces = usePieces();

  /** What the picture shows: a stage, or the recording where a step or pieces lie on that. */
  const stage = computed(() => {
    const one = bench.stage;
    if (!one || !bench.recording) return null;
    if (!pieces.open && !(bench.face === "step" && onRecording(bench.step))) return one;
    const m = bench.recording.measured;
    return { ...one, ...m, key: bench.recording.digest, frames: Math.round(m.duration_s * m.rate), loops: [], root_how: "found" };
  });
  const { view, look, whole } = useZoom(() => stage.value?.frames);
  const duration = computed(() => stage.value?.duration_s ?? 0);
  const shown = computed<Shown | null>(() =>
    stage.value ? { key: stage.value.key, frames: stage.value.frames, rate: stage.value.rate, ...view.value } : null,
  );
  const loudest = computed(() => 10 ** (Math.max(-50, stage.value?.peak_dbfs ?? 0) / 20));
  const marks = computed(() =>
    bench.face === "step" && !pieces.open && (bench.ready || onRecording(bench.step)) ? marksOf(bench.step, duration.value) : null,
  );
  const isLoop = computed(() => bench.ready && bench.face === "step" && bench.step?.do === "loop" && !pieces.open);
  const isNotes = computed(() => bench.ready && bench.face === "step" && bench.step?.do === "notes" && !pieces.open);
  const currentLoop = computed(() =>
    isLoop.value ? { start: number(bench.step!, "start"), end: number(bench.step!, "end") || duration.value } : null,
  );
  /** A step that has to be shown a stretch before it does anything. */
  const asks = computed(
    () => bench.face === "step" && !pieces.open && bench.step?.do === "denoise" && number(bench.step, "to") <= number(bench.step, "start"),
  );
  const subtitle = computed(() => {
    if (asks.value) return "the recording: where is nothing but noise?";
    if (pieces.open) return "the recording, in pieces";
    if (!bench.ready && bench.working) return "as it was, until the steps are done";
    if (bench.face === "before") return "as recorded";
    if (bench.face === "after") return "after all steps";
    return bench.chosen === 0 || onRecording(bench.step) ? "the recording" : `as it reaches step ${bench.chosen + 1}`;
  });

  // a new sound is shown whole; one that only changed keeps its place in view
  let before = { key: "", frames: 0 };
  watch(
    stage,
    (now) => {
      if (!now || now.key === before.key) return;
      if (now.frames !== before.frames) whole();
      before = { key: now.key, frames: now.frames };
    },
    { immediate: true },
  );

  /** What the recipe makes; where it has no steps, that is the recording itself. */
  const exported = computed(() => (bench.after && bench.after.key !== bench.recording?.digest ? bench.after.key : null));

  return { stage, duration, shown, view, look, loudest, marks, isLoop, isNotes, currentLoop, asks, subtitle, exported };
}
