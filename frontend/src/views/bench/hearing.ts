/** Listening to what lies on the bench: the recording and the result equally loud, a tone, a loop. */
import { computed, type Ref } from "vue";

import { number, type Stage } from "../../api/types";
import { type Face, useBench } from "../../stores/bench";
import { useLive } from "../../stores/live";
import { usePieces } from "../../stores/pieces";
import { useProject } from "../../stores/project";
import { hertzOf } from "../../theme/words";

const MOST_LOWERED = -40;
const MOST_RAISED = 24;

type Measured = { lufs: number | null; momentary_lufs?: number | null };
/** Integrated, or momentary where a sound is too short for that. */
const loudnessOf = (one: Measured | null | undefined) => one?.lufs ?? one?.momentary_lufs ?? null;

export function useHearing(stage: Ref<Pick<Stage, "key" | "duration_s"> | null>) {
  const bench = useBench();
  const live = useLive();
  const pieces = usePieces();
  const project = useProject();
  const at = computed(() => (live.listeningTo === stage.value?.key ? live.look.listening : null));
  const isTone = computed(() => bench.face === "step" && bench.step?.do === "tone");

  /** Before and after are heard equally loud. */
  function gainFor(key: string): number {
    const [own, other] = [loudnessOf(bench.recording?.measured), loudnessOf(bench.after)];
    if (key !== bench.recording?.digest || own === null || other === null) return 0;
    return Math.max(MOST_LOWERED, Math.min(MOST_RAISED, other - own));
  }

  function listen(from: number): void {
    if (stage.value) live.listen(stage.value.key, from, { gain: gainFor(stage.value.key) });
  }

  function listenTone(): void {
    const step = bench.step!;
    const place = number(step, "place");
    const hz = hertzOf(number(step, "note"), project.settings.tuning);
    live.listen(stage.value!.key, place, { cycle: { place, hz, cycles: number(step, "cycles") } });
  }

  /** Show another face; what is listened to goes on there, as loud as before. */
  function turnTo(face: Face): void {
    const heard = at.value;
    pieces.end();
    bench.turnTo(face);
    if (heard !== null) void goOn(heard);
  }

  async function goOn(from: number): Promise<void> {
    await bench.look();
    if (stage.value) listen(Math.min(from, Math.max(0, stage.value.duration_s - 0.1)));
  }

  return { at, isTone, listen, listenTone, turnTo };
}
