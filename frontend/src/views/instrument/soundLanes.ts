/** The sounds of a layer as they are drawn, one under another, and where the engine reads them. */
import { computed, ref } from "vue";

import type { Layer, Sound } from "../../api/types";
import { useProject } from "../../stores/project";
import { useShelf } from "../../stores/shelf";

const MOST_LANES = 4;
const WHOLE = { top: 0, share: 1 };
const STEPS_S = [0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 30];

export function useSoundLanes(layer: () => Layer, chosen: () => boolean) {
  const project = useProject();
  const shelf = useShelf();
  /** The sound drawn: the one that plays, where a layer has several. */
  const shown = ref(0);
  const sound = computed(() => layer().sounds[shown.value] ?? layer().sounds[0]);

  /** The stretch of a sound that the engine has, in seconds. */
  function stretchOf(one: Sound | undefined): { start: number; seconds: number | null } {
    const whole = shelf.byDigest.get(one?.recording ?? "")?.duration_s ?? null;
    const start = one?.start ?? 0;
    const rest = whole === null ? null : Math.min(project.catalogue.longest_stretch_s, whole - start);
    return { start, seconds: one?.length ?? rest };
  }
  const stretch = computed(() => stretchOf(sound.value));

  /** All of them, if there is room, else the one that plays. */
  const lanes = computed(() => {
    const { sounds } = layer();
    const all = chosen() && sounds.length > 1 && sounds.length <= MOST_LANES;
    const drawn = all ? sounds.map((one, i) => ({ one, i })) : sound.value ? [{ one: sound.value, i: shown.value }] : [];
    return drawn.flatMap(({ one, i }, at) => {
      const recording = shelf.byDigest.get(one.recording ?? "");
      const { start, seconds } = stretchOf(one);
      const known = recording && seconds !== null;
      const shares = known
        ? { from: start / recording.duration_s, to: Math.min(1, (start + seconds) / recording.duration_s) }
        : { from: 0, to: 1 };
      return one.recording
        ? [{ ...shares, i, recording, digest: one.recording, name: one.name, top: at / drawn.length, share: 1 / drawn.length }]
        : [];
    });
  });

  function laneOf(which: number): { top: number; share: number } | null {
    return lanes.value.find(({ i }) => i === which) ?? (which === shown.value ? WHOLE : null);
  }

  /** Graduations of the stretch in seconds of the recording, by their share of the width. */
  const ticks = computed(() => {
    const { start, seconds } = stretch.value;
    if (!seconds) return [];
    const step = STEPS_S.find((one) => seconds / one <= 8) ?? 60;
    return Array.from({ length: Math.floor(seconds / step) + 1 }, (_, i) => ({
      share: (i * step) / seconds,
      word: `${Number((start + i * step).toFixed(2))} s`,
    })).filter(({ share }) => share < 0.8);
  });

  return { shown, sound, stretch, lanes, laneOf, whole: WHOLE, ticks };
}
