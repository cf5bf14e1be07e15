<script setup lang="ts">
/** The recording cut into pieces: hear, keep, drop and name each, by keys; make all at once. */
import { nextTick, ref, watch } from "vue";

import Rule from "../../controls/Rule.vue";
import { ownRule } from "../../controls/scale";
import TypedInPlace from "../../controls/TypedInPlace.vue";
import { useBench } from "../../stores/bench";
import { useLive } from "../../stores/live";
import { SENSITIVITY_AT_FIRST, usePieces } from "../../stores/pieces";
import { seconds } from "../../theme/words";

const emit = defineEmits<{ show: [start: number, end: number]; kept: [ids: number[]] }>();
const bench = useBench();
const pieces = usePieces();
const live = useLive();
const list = ref<HTMLElement>();
const names = ref<InstanceType<typeof TypedInPlace>[]>([]);
const SENSITIVITY = ownRule({
  id: "sensitivity",
  name: "sensitivity",
  group: "Pieces",
  unit: "%",
  low: 0,
  high: 100,
  default: 100 * SENSITIVITY_AT_FIRST,
  help: "How small a beginning starts a new piece; the line on the picture is what it has to pass.",
});
let settle: ReturnType<typeof setTimeout> | undefined;

function sensitive(value: number): void {
  pieces.sensitivity = value / 100;
  clearTimeout(settle);
  settle = setTimeout(() => void pieces.split(), 60);
}

function listen(index: number): void {
  const piece = pieces.pieces[index];
  if (piece && bench.recording) live.listen(bench.recording.digest, piece.start, { until: piece.end });
}

function choose(index: number, hear = true): void {
  if (index < 0 || index >= pieces.pieces.length) return;
  pieces.chosen = index;
  const piece = pieces.pieces[index]!;
  emit("show", piece.start, piece.end);
  if (hear) listen(index);
}

function key(event: KeyboardEvent): void {
  const at = pieces.chosen;
  const keys: Record<string, () => void> = {
    ArrowDown: () => choose(at + 1),
    ArrowUp: () => choose(at - 1),
    Enter: () => listen(at),
    k: () => (pieces.decide(at, true), listen(pieces.chosen)),
    d: () => (pieces.decide(at, false), listen(pieces.chosen)),
    j: () => pieces.join(at),
    n: () => void names.value[at]?.begin(),
    F2: () => void names.value[at]?.begin(),
  };
  if (event.ctrlKey || event.metaKey || !keys[event.key]) return;
  event.preventDefault();
  event.stopPropagation();
  keys[event.key]!();
}

function make(): void {
  const wantedPieces = pieces.pieces.map((piece, i) => ({ ...piece, name: pieces.nameOf(i) })).filter(({ kept }) => kept);
  void bench.keep(
    wantedPieces.map(({ name, start, end }) => ({ name, start, end })),
    (ids) => emit("kept", ids),
  );
}

watch(
  () => pieces.chosen,
  async () => {
    await nextTick();
    list.value?.querySelector("[data-chosen=true]")?.scrollIntoView({ block: "nearest" });
  },
);
</script>

<template>
  <section class="flex min-h-0 gap-3 xl:gap-5" aria-label="Pieces">
    <div class="flex w-36 shrink-0 flex-col gap-2 xl:w-52">
      <h2 class="font-serif text-base font-semibold">Pieces</h2>
      <Rule :parameter="SENSITIVITY" :value="100 * pieces.sensitivity" @move="sensitive" @rest="sensitive" />
      <p class="text-xs text-soft">
        Double-click the waveform to split by hand. ↑ ↓ hear, K keep, D drop, N name, J join. Each piece goes through the steps after Cut.
      </p>
    </div>
    <ol
      ref="list"
      class="min-h-0 min-w-0 flex-1 overflow-y-auto border-y border-hairline"
      tabindex="0"
      aria-label="List of pieces"
      data-testid="pieces"
      @keydown="key"
    >
      <li
        v-for="(piece, i) in pieces.pieces"
        :key="piece.start"
        class="flex items-center gap-2 px-2 py-0.5"
        :class="i === pieces.chosen ? 'bg-sheet' : ''"
        :data-chosen="i === pieces.chosen"
        :data-kept="piece.kept"
        @click="choose(i)"
      >
        <span class="w-6 text-right text-soft">{{ i + 1 }}</span>
        <TypedInPlace
          :ref="(el) => (names[i] = el as never)"
          :shown="pieces.nameOf(i)"
          :label="`Name of piece ${i + 1}`"
          help="Name this piece (N)"
          entry-class="min-w-0 flex-1"
          :shown-class="`min-w-0 flex-1 truncate font-serif text-base leading-tight ${piece.kept ? '' : 'text-soft line-through'}`"
          @typed="(text) => text && text !== pieces.nameOf(i) && pieces.rename(i, text)"
        />
        <span class="hidden w-16 text-right text-soft xl:inline">{{ piece.start.toFixed(2) }} s</span>
        <span class="w-12 shrink-0 text-right">{{ seconds(piece.end - piece.start) }}</span>
        <button
          class="quiet !py-0"
          :class="piece.kept ? 'font-semibold' : 'text-soft'"
          :aria-pressed="piece.kept"
          title="Keep (K)"
          @click.stop="pieces.decide(i, true)"
        >
          Keep
        </button>
        <button
          class="quiet !py-0"
          :class="piece.kept ? 'text-soft' : 'font-semibold'"
          :aria-pressed="!piece.kept"
          title="Drop (D)"
          @click.stop="pieces.decide(i, false)"
        >
          Drop
        </button>
      </li>
      <li v-if="!pieces.pieces.length" class="p-3 text-soft">
        Nothing begins clearly enough here: raise the sensitivity, or double-click the waveform to split by hand.
      </li>
    </ol>
    <div class="flex w-32 shrink-0 flex-col justify-between xl:w-40">
      <p class="text-soft">{{ pieces.keptCount }} of {{ pieces.pieces.length }} kept</p>
      <button class="action-main !px-2" :disabled="!pieces.keptCount" @click="make">
        Make {{ pieces.keptCount }} {{ pieces.keptCount === 1 ? "material" : "materials" }}
      </button>
    </div>
  </section>
</template>
