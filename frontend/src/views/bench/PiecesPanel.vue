<script setup lang="ts">
/** The recording cut into pieces: hear, keep, drop and name each, by keys; make all at once. */
import { computed, nextTick, ref, watch } from "vue";

import { reveal } from "../../composables/reveal";
import { useRows } from "../../composables/rows";
import DeclaredControls from "../../controls/DeclaredControls.vue";
import { useBench } from "../../stores/bench";
import { useLive } from "../../stores/live";
import { usePieces } from "../../stores/pieces";
import PieceRow from "./PieceRow.vue";

const ROW_PX = 30;
/** What is seldom touched once pieces are found is folded away. */
const FOLDED = "bloom-pieces-settings";

const emit = defineEmits<{ show: [start: number, end: number]; kept: [ids: number[], known: number[]] }>();
const bench = useBench();
const pieces = usePieces();
const live = useLive();
const open = ref(localStorage.getItem(FOLDED) !== "folded");
const groups = computed(() =>
  [...new Set(pieces.declared.map(({ group }) => group))].map((name) => ({
    name,
    declared: pieces.declared.filter(({ group }) => group === name),
  })),
);
const { list, containerProps, wrapperProps } = useRows(
  computed(() => pieces.pieces),
  ROW_PX,
);
const rows = ref<InstanceType<typeof PieceRow>[]>([]);

function fold(): void {
  open.value = !open.value;
  localStorage.setItem(FOLDED, open.value ? "open" : "folded");
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

function decide(keep: boolean): void {
  pieces.decide(pieces.chosen, keep);
  listen(pieces.chosen);
}

const beginNaming = () => rows.value.find((row) => row?.index === pieces.chosen)?.beginNaming();

function key(event: KeyboardEvent): void {
  const at = pieces.chosen;
  const keys: Record<string, () => void> = {
    ArrowDown: () => choose(at + 1),
    ArrowUp: () => choose(at - 1),
    Enter: () => listen(at),
    k: () => decide(true),
    d: () => decide(false),
    j: () => pieces.join(at),
    n: () => void beginNaming(),
    F2: () => void beginNaming(),
  };
  if (event.ctrlKey || event.metaKey || !keys[event.key]) return;
  event.preventDefault();
  event.stopPropagation();
  keys[event.key]!();
}

/** A name is typed: the list has the keys again. */
function named(index: number, text: string): void {
  if (text) pieces.rename(index, text);
  void nextTick(() => containerProps.ref.value?.focus());
}

function make(): void {
  void bench.keep(
    pieces.kept.map(({ name, start, end }) => ({ name, start, end })),
    (ids, known) => emit("kept", ids, known),
    pieces.settings?.together === "together",
  );
}

watch(
  () => pieces.chosen,
  (index) => reveal(containerProps.ref.value, index, ROW_PX),
);
</script>

<template>
  <section class="flex min-h-0 flex-1 flex-col gap-2" aria-label="Pieces">
    <div class="flex items-baseline gap-2">
      <h2 class="flex-1 font-serif text-lg">Pieces</h2>
      <button class="quiet text-soft" :aria-expanded="open" @click="fold">{{ open ? "Fold settings" : "Settings" }}</button>
    </div>
    <div v-if="open && pieces.settings" class="-mx-1 max-h-[45%] shrink-0 overflow-y-auto px-1">
      <template v-for="group in groups" :key="group.name">
        <h3 class="heading mt-1">{{ group.name }}</h3>
        <div class="grid grid-cols-2 gap-x-5">
          <DeclaredControls
            :declared="group.declared"
            :values="pieces.settings"
            @move="(id, value) => pieces.move(id, value)"
            @rest="(id, value, name) => pieces.set(id, value, name)"
          />
        </div>
      </template>
    </div>
    <div class="flex items-baseline gap-1">
      <p class="flex-1 text-soft">{{ pieces.kept.length }} of {{ pieces.pieces.length }} kept</p>
      <button class="quiet !px-1" @click="pieces.decideAll(true)">Keep all</button>
      <button class="quiet !px-1" @click="pieces.decideAll(false)">Keep none</button>
    </div>
    <div
      class="-mx-2 min-h-24 flex-1 border-y border-hairline"
      v-bind="containerProps"
      tabindex="0"
      role="group"
      aria-label="List of pieces. Arrows hear the next, K keeps, D drops, N names, J joins."
      data-testid="pieces"
      data-letters="commands"
      @keydown="key"
    >
      <ol v-bind="wrapperProps">
        <PieceRow
          v-for="{ data: piece, index } in list"
          :key="piece.key"
          ref="rows"
          :piece="piece"
          :index="index"
          :chosen="index === pieces.chosen"
          @choose="choose(index)"
          @decide="(keep) => pieces.decide(index, keep)"
          @named="(text) => named(index, text)"
        />
      </ol>
      <p v-if="pieces.found && !pieces.pieces.length" class="p-3 text-soft">
        Nothing begins clearly enough here: raise the sensitivity, or double-click the waveform to split by hand.
      </p>
    </div>
    <p class="text-xs text-soft">
      Double-click the waveform to split by hand. ↑ ↓ hear, K keep, D drop, N name, J join. Each piece goes through the steps after Cut.
    </p>
    <button class="action-main py-2" :disabled="!pieces.kept.length || pieces.saving" @click="make">
      Make {{ pieces.kept.length }} {{ pieces.kept.length === 1 ? "material" : "materials" }}
    </button>
  </section>
</template>
