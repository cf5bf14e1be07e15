/** What is typed of a layer's sounds: root, stretch, cycle, and when each is picked. */
import { computed } from "vue";

import { type Layer, number, type Settings } from "../../api/types";
import { useInstrument } from "../../stores/instrument";
import { useProject } from "../../stores/project";
import { noteName, parseNote } from "../../theme/words";

export function useSoundEntries(layer: () => Layer, index: () => number) {
  const instrument = useInstrument();
  const project = useProject();
  const fresh = computed(() => Object.fromEntries(project.catalogue.entries.map((p) => [p.id, p.default])) as Settings);
  const entry = (i: number) => layer().picks[i] ?? fresh.value;

  function setRoot(i: number, root: number | null): void {
    void instrument.edit("root", [{ op: "replace", path: `/layers/${index()}/sounds/${i}/root`, value: root }]);
  }

  /** Store when one sound is picked; sounds without an entry of their own get one. */
  function setPick(i: number, values: Settings, label: string): void {
    const picks = layer().sounds.map((_, at) => ({ ...entry(at), ...(at === i ? values : {}) }));
    void instrument.edit(label, [{ op: "replace", path: `/layers/${index()}/picks`, value: picks }]);
  }

  function typedWeight(i: number, text: string): void {
    const weight = Number(text);
    if (text !== "" && weight >= 0 && weight <= 100) setPick(i, { weight }, "weight");
  }

  function typedRange(i: number, text: string): void {
    const ends = text.split(/\s+to\s+|\s*[–]\s*/).map(parseNote);
    const [low, high] = [ends[0], ends[1] ?? ends[0]];
    if (low != null && high != null) setPick(i, { key_low: Math.round(low), key_high: Math.round(high) }, "keys");
  }

  /** The stretch of a sound that has its character, as "2.1 to 4.5". */
  function typedStretch(i: number, text: string): void {
    const [from, to] = text.split(/\s*(?:to|–|-)\s*/).map((one) => Number(one.replace(/s$/, "")));
    const all = text.trim() === "" || text.trim() === "all";
    if (!all && !(Number(from) >= 0 && Number(to) > Number(from) + 0.02)) return;
    const path = `/layers/${index()}/sounds/${i}`;
    void instrument.edit("stretch", [
      { op: "replace", path: `${path}/start`, value: all ? 0 : from },
      {
        op: "replace",
        path: `${path}/length`,
        value: all ? null : Math.min(project.catalogue.longest_stretch_s, Number((to! - from!).toFixed(4))),
      },
    ]);
  }
  const stretch = (i: number) => {
    const { start, length } = layer().sounds[i]!;
    const rounded = (seconds: number) => Number(seconds.toFixed(2));
    return length === null && start === 0 ? "all" : `${rounded(start)}${length === null ? " s on" : ` to ${rounded(start + length)} s`}`;
  };

  function typedCycle(text: string): void {
    const value = Math.round(Number(text));
    if (value >= 16 && value <= 16_384)
      void instrument.edit("cycle", [{ op: "replace", path: `/layers/${index()}/sounds/0/cycle`, value }]);
  }

  const range = (i: number) => `${noteName(number(entry(i), "key_low"))} to ${noteName(number(entry(i), "key_high"))}`;

  return { entry, setRoot, typedWeight, typedRange, typedStretch, stretch, typedCycle, range };
}
