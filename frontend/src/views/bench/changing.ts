import { api, wanted } from "../../api/client";
import { type LoopFound, number } from "../../api/types";
import { useBench } from "../../stores/bench";
import { useField } from "../../stores/field";
import { useLive } from "../../stores/live";
import { useNotices } from "../../stores/notices";
import { useProject } from "../../stores/project";
import { noteOf } from "../../theme/words";
import type { useShownStage } from "./shownStage";

/** What is changed by hand on the Bench's picture: edges, loops, the root, the name. */
export function useChanges({ stage, marks, duration }: ReturnType<typeof useShownStage>, listenTone: () => void) {
  const bench = useBench();
  const field = useField();
  const live = useLive();
  const project = useProject();

  function drag(values: Record<string, number>): void {
    bench.move(bench.chosen, values);
    if (bench.step?.do === "tone" && live.listeningTo) listenTone();
  }

  function drop(values: Record<string, number>): void {
    if (!Object.keys(values).length) return;
    const name = bench.kind?.name ?? "";
    void bench.change(bench.chosen, values, `${name}: ${bench.step?.do === "tone" ? "place" : "region"}`);
  }

  async function nudge(id: string, how: "ms" | "sample" | "zero", way: -1 | 1): Promise<void> {
    const edge = marks.value?.edges.find((one) => one.id === id);
    const rate = stage.value?.rate ?? 48_000;
    let at = edge?.at ?? (bench.step ? number(bench.step, id) : 0);
    if (how === "zero") {
      try {
        at = (await wanted(api.GET("/api/sounds/{digest}/snap", { params: { path: { digest: stage.value!.key }, query: { at, way } } })))
          .at;
      } catch (error) {
        return useNotices().complain(error);
      }
    } else at += way * (how === "ms" ? 1e-3 : 1 / rate);
    at = Math.min(duration.value, Math.max(0, Math.round(at * rate) / rate));
    await bench.change(bench.chosen, { [id]: at }, `Nudge ${edge?.word ?? id}`);
  }

  function takeLoop(loop: LoopFound): void {
    void bench.change(
      bench.chosen,
      { start: loop.start, end: loop.end, crossfade: loop.crossfade_ms, direction: "forward", curve: "by likeness" },
      "Take a loop",
    );
  }

  /** The loop as it is offered so that its crossfade has room. */
  function takeEdges([start, end]: [number, number]): void {
    void bench.change(bench.chosen, { start, end }, "Make room for the crossfade");
  }

  /** The root dragged on the picture, to the cent. */
  async function giveRoot(hz: number): Promise<void> {
    const note = Math.round(100 * noteOf(hz, project.settings.tuning)) / 100;
    await bench.withStep("root", { how: "given", note: Math.min(127, Math.max(0, note)) }, "Root");
    bench.turnTo("after");
  }

  function rename(name: string): void {
    const recording = bench.recording!;
    const show = (now: string) => (bench.recording = { ...recording, name: now });
    void field.edit(recording, { name }).then(() => {
      show(name);
      useNotices().say(`'${recording.name}' is called '${name}' now.`, () => void field.undo().then(() => show(recording.name)));
    });
  }

  return { drag, drop, nudge, takeLoop, takeEdges, giveRoot, rename };
}
