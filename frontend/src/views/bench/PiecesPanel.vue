<script setup lang="ts">
/** The recording cut into pieces: hear, keep, drop and name each, by keys; make all at once. */
import { computed, nextTick, ref } from "vue";

import DeclaredControls from "../../controls/DeclaredControls.vue";
import HeardList from "../../controls/HeardList.vue";
import { useBench } from "../../stores/bench";
import { useLive } from "../../stores/live";
import { usePieces, type Piece } from "../../stores/pieces";
import PieceRow from "./PieceRow.vue";

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
const list = ref<{ focus: () => void }>();
/** Key of the piece whose name is being typed. */
const naming = ref("");

function fold(): void {
  open.value = !open.value;
  localStorage.setItem(FOLDED, open.value ? "open" : "folded");
}

function listen(piece: Piece | undefined): void {
  if (piece && bench.recording) live.listen(bench.recording.digest, piece.start, { until: piece.end });
}

function choose(piece: Piece): void {
  pieces.chosen = pieces.pieces.findIndex(({ key }) => key === piece.key);
  emit("show", piece.start, piece.end);
  listen(piece);
}

/** Once more means that it shall stop. */
function hear(piece: Piece): void {
  const chosen = pieces.pieces[pieces.chosen]?.key === piece.key;
  if (chosen && live.listeningTo === bench.recording?.digest) live.hush();
  else choose(piece);
}

/** What is heard then is the one that is chosen after it: the next. */
function decide(keep: boolean): void {
  pieces.decide(pieces.chosen, keep);
  listen(pieces.pieces[pieces.chosen]);
}

async function name(piece: Piece): Promise<void> {
  // again, where it was left by Escape
  naming.value = "";
  await nextTick();
  naming.value = piece.key;
}

const LETTERS = {
  k: () => decide(true),
  d: () => decide(false),
  j: () => pieces.join(pieces.chosen),
  n: name,
  F2: name,
};

/** A name is typed: the list has the keys again. */
function named(index: number, text: string): void {
  naming.value = "";
  if (text) pieces.rename(index, text);
  void nextTick(() => list.value?.focus());
}

function make(): void {
  void bench.keep(
    pieces.kept.map(({ name, start, end }) => ({ name, start, end })),
    (ids, known) => emit("kept", ids, known),
    pieces.settings?.together === "together",
  );
}
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
    <HeardList
      ref="list"
      class="-mx-2 min-h-24 flex-1 border-y border-hairline"
      :rows="pieces.pieces"
      :key-of="(piece) => piece.key"
      :row-px="30"
      :chosen="pieces.pieces[pieces.chosen]?.key ?? null"
      :letters="LETTERS"
      :kept="(piece) => piece.kept"
      label="List of pieces: K keeps, D drops, N names, J joins"
      testid="pieces"
      @hear="hear"
    >
      <template #default="{ one, index }">
        <PieceRow
          :piece="one"
          :index="index"
          :naming="one.key === naming"
          @choose="choose(one)"
          @decide="(keep) => pieces.decide(index, keep)"
          @named="(text) => named(index, text)"
        />
      </template>
      <template #empty>
        <p v-if="pieces.found && !pieces.pieces.length" class="p-3 text-soft">
          Nothing begins clearly enough here: raise the sensitivity, or double-click the waveform to split by hand.
        </p>
      </template>
    </HeardList>
    <p class="text-xs text-soft">
      Double-click the waveform to split by hand. ↑ ↓ hear, K keep, D drop, N name, J join. Each piece goes through the steps after Cut.
    </p>
    <button class="action-main py-2" :disabled="!pieces.kept.length || pieces.saving" @click="make">
      Make {{ pieces.kept.length }} {{ pieces.kept.length === 1 ? "material" : "materials" }}
    </button>
  </section>
</template>
