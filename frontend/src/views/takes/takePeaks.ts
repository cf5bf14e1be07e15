import { type Ref, ref, shallowRef, watch } from "vue";

const COLUMNS_A_LINE = 1_200;
const WHOLE_COLUMNS = 4_000;

export async function fetchTakePeaks(id: number, sound: string, start: number, end: number, columns: number): Promise<Int16Array> {
  const query = new URLSearchParams({ start: String(start), end: String(end), columns: String(columns), sound });
  const answer = await fetch(`/api/takes/${id}/peaks?${query}`);
  if (!answer.ok) throw new Error("no picture");
  return new Int16Array(await answer.arrayBuffer());
}

/** The picture of a take's sound, a line at a time as it comes into view, all as high as its loudest. */
export function useTakePeaks(id: Ref<number | null>, sound: Ref<string>, seconds: Ref<number>, ready: Ref<boolean>) {
  const lines = shallowRef(new Map<string, Int16Array>());
  const loudest = ref(0);
  const asked = new Set<string>();
  let of = "";

  watch(
    [id, sound, ready],
    async () => {
      const now = `${id.value}/${sound.value}`;
      if (now !== of) {
        of = now;
        lines.value = new Map();
        loudest.value = 0;
      }
      asked.clear();
      if (id.value === null || !ready.value) return;
      try {
        const whole = await fetchTakePeaks(id.value, sound.value, 0, 1, WHOLE_COLUMNS);
        if (of === now) loudest.value = whole.reduce((most, one) => Math.max(most, Math.abs(one)), 1);
      } catch {
        // it is drawn once it has been listened to
      }
    },
    { immediate: true },
  );

  /** The pairs of one line; asked for the first time it is wanted. */
  function lineOf(from: number, to: number): Int16Array | null {
    const key = `${from}-${to}`;
    const known = lines.value.get(key);
    if (known) return known;
    const total = seconds.value;
    if (id.value !== null && ready.value && total > 0 && !asked.has(key)) {
      asked.add(key);
      const now = of;
      const part = [from / total, Math.min(1, to / total)] as const;
      const columns = Math.max(2, Math.round((COLUMNS_A_LINE * (Math.min(to, total) - from)) / (to - from)));
      fetchTakePeaks(id.value, sound.value, ...part, columns)
        .then((found) => of === now && (lines.value = new Map(lines.value).set(key, found)))
        .catch(() => asked.delete(key));
    }
    return null;
  }

  return { lineOf, loudest };
}
