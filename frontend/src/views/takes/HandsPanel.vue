<script setup lang="ts">
/** The hands of a take: what moves in it, and changing a stretch of them: moved, taken away, copied, stretched, drawn. */
import { computed, ref, watch } from "vue";

import type { HandEdit, Lane } from "../../api/types";
import { clock } from "../../charts/takeLine";
import { useTakes } from "../../stores/takes";
import { useTaking } from "../../stores/taking";
import { parseNote } from "../../theme/words";
import LaneDrawing from "./LaneDrawing.vue";
import LanePicture from "./LanePicture.vue";

const NOTES = "notes";
const PAD = ["pad_across", "pad_up"];
const OF_A_NOTE = ["bend", "pressure", "slide"];
const takes = useTakes();
const taking = useTaking();
const picked = ref<string[]>([NOTES]);
const by = ref(0.1);
const semitones = ref(12);
const factor = ref(2);
const division = ref(0.25);
const amount = ref(100);
const low = ref("");
const high = ref("");
const drawing = ref<string | null>(null);

const seconds = computed(() => takes.hands?.seconds ?? 0);
const stretch = computed(() => takes.stretch ?? takes.chosen ?? { start: 0, end: seconds.value });
const notes = computed(() => takes.hands?.notes ?? []);
const lanes = computed(() => takes.hands?.lanes ?? []);
/** Whole lanes that can be moved for themselves; what is done to single notes goes with them. */
const movable = computed(() => lanes.value.filter(({ id }) => !OF_A_NOTE.includes(id)));
const range = computed(() => ({ low: parseNote(low.value) ?? 0, high: parseNote(high.value) ?? 127 }));
const chosenNotes = computed(
  () =>
    notes.value.filter(
      ({ start, key }) => start >= stretch.value.start && start < stretch.value.end && key >= range.value.low && key <= range.value.high,
    ).length,
);
const hasPad = computed(() => lanes.value.some(({ id }) => PAD.includes(id)));
const beat = computed(() => 60 / (takes.document?.about.tempo ?? 120));
const drawn = computed<Lane | null>(() => lanes.value.find(({ id }) => id === drawing.value) ?? null);

/** The pad is one lane to whoever edits. */
const laneIds = computed(() => [...new Set(picked.value.map((id) => (PAD.includes(id) ? "pad" : id)))]);
const select = computed(() => ({ ...stretch.value, ...range.value, lanes: laneIds.value }));
const toggle = (id: string) =>
  (picked.value = picked.value.includes(id) ? picked.value.filter((one) => one !== id) : [...picked.value, id]);

function change(edit: HandEdit, label: string): void {
  void takes.changeHands(edit, label);
}

/** From the stretch on, or from the beginning; it is ended like any take. */
function playOver(): void {
  const at = takes.stretch?.start ?? 0;
  const edits = takes.document?.edits ?? [];
  void taking.playOver(takes.id!, { take: takes.document!.about.folder, lanes: laneIds.value, at, edits }, (played) => {
    if (played) void takes.open(takes.id!).then(() => takes.hearChanges());
  });
}

function drew(points: [number, number][]): void {
  if (drawing.value) change({ do: "draw", lane: drawing.value, points }, "Draw a lane");
  drawing.value = null;
}
watch(
  () => takes.id,
  () => (picked.value = [NOTES]),
);
</script>

<template>
  <section class="flex min-h-0 flex-1 flex-col gap-2" aria-label="Hands">
    <p class="text-soft">
      {{ clock(stretch.start, true) }} to {{ clock(stretch.end, true) }}{{ takes.stretch || takes.chosen ? "" : ", all of it" }}; drag
      across the page to choose another stretch
    </p>
    <ul aria-label="What is meant">
      <li class="flex items-center gap-2 py-0.5">
        <label class="flex w-36 items-center gap-2 truncate">
          <input type="checkbox" :checked="picked.includes(NOTES)" @change="toggle(NOTES)" />keys
        </label>
        <LanePicture :notes="notes" :from="stretch.start" :to="stretch.end" />
        <span class="w-14 text-right text-xs text-soft">{{ chosenNotes }}</span>
      </li>
      <li v-for="lane in lanes" :key="lane.id" class="flex items-center gap-2 py-0.5">
        <label class="flex w-36 items-center gap-2 truncate" :title="lane.name">
          <input v-if="movable.includes(lane)" type="checkbox" :checked="picked.includes(lane.id)" @change="toggle(lane.id)" />
          <span class="truncate" :class="movable.includes(lane) ? '' : 'pl-5 text-soft'">{{ lane.name }}</span>
        </label>
        <LanePicture :lane="lane" :from="stretch.start" :to="stretch.end" />
        <button
          v-if="movable.includes(lane)"
          class="quiet w-14 !px-1 !py-0 text-right"
          :aria-label="`Draw ${lane.name}`"
          @click="drawing = drawing === lane.id ? null : lane.id"
        >
          Draw
        </button>
        <span v-else class="w-14" />
      </li>
    </ul>
    <label v-if="!hasPad" class="flex items-center gap-2 text-soft">
      <input type="checkbox" aria-label="pad, played over" :checked="picked.includes(PAD[0]!)" @change="toggle(PAD[0]!)" />pad, not moved in
      it
    </label>
    <LaneDrawing v-if="drawn" :key="drawn.id" :lane="drawn" :from="stretch.start" :to="stretch.end" @drew="drew" @leave="drawing = null" />
    <div v-if="picked.includes(NOTES)" class="flex items-center gap-2">
      <span class="w-20 text-soft">of the keys</span>
      <input v-model="low" class="field w-20 !py-0.5" placeholder="lowest" aria-label="Lowest key meant" />
      to
      <input v-model="high" class="field w-20 !py-0.5" placeholder="highest" aria-label="Highest key meant" />
    </div>
    <h2 class="heading">Change them</h2>
    <div class="flex flex-col gap-1.5">
      <div class="flex flex-wrap items-center gap-x-1">
        <label for="hands-by" class="w-16">move by</label>
        <input id="hands-by" v-model.number="by" class="field w-16 !px-1.5 !py-0.5" type="number" step="0.01" />&nbsp;s
        <button class="quiet" @click="change({ do: 'move', select, seconds: -by, semitones: 0 }, 'Move the hands')">earlier</button>
        <button class="quiet" @click="change({ do: 'move', select, seconds: by, semitones: 0 }, 'Move the hands')">later</button>
        <button class="quiet" @click="change({ do: 'copy', select, seconds: by }, 'Copy hands')">copy later</button>
      </div>
      <div class="flex flex-wrap items-center gap-x-1">
        <label for="hands-semitones" class="w-16">transpose</label>
        <input
          id="hands-semitones"
          v-model.number="semitones"
          class="field w-16 !px-1.5 !py-0.5"
          type="number"
          step="1"
          min="0"
          max="60"
        />&nbsp;semitones
        <button class="quiet" @click="change({ do: 'move', select, seconds: 0, semitones: -semitones }, 'Transpose')">down</button>
        <button class="quiet" @click="change({ do: 'move', select, seconds: 0, semitones }, 'Transpose')">up</button>
      </div>
      <div class="flex flex-wrap items-center gap-x-1">
        <label for="hands-factor" class="w-16">stretch</label>
        <input id="hands-factor" v-model.number="factor" class="field w-16 !px-1.5 !py-0.5" type="number" step="0.05" min="0.1" max="10" />
        <button class="quiet" @click="change({ do: 'stretch', select, factor }, 'Stretch the hands')">times as long</button>
      </div>
      <div class="flex flex-wrap items-center gap-x-1">
        <label for="hands-amount" class="w-16">quantise</label>
        <input
          id="hands-amount"
          v-model.number="amount"
          class="field w-16 !px-1.5 !py-0.5"
          type="number"
          step="5"
          min="0"
          max="100"
        />&nbsp;% to
        <select v-model.number="division" class="field !px-1 !py-0.5" aria-label="Grid">
          <option :value="1">beats</option>
          <option :value="0.5">halves</option>
          <option :value="0.25">quarters</option>
          <option :value="1 / 3">thirds</option>
        </select>
        <button class="quiet" @click="change({ do: 'quantise', select, grid: beat * division, amount }, 'Quantise')">Quantise</button>
      </div>
    </div>
    <button
      class="action self-start"
      :disabled="!laneIds.length || taking.state !== 'idle'"
      title="The take plays; what you play replaces them, from your first touch to your last"
      @click="playOver"
    >
      Play {{ laneIds.length === 1 && picked[0] === NOTES ? "the keys" : "them" }} again over the others
    </button>
    <button class="action self-start" :disabled="!laneIds.length" @click="change({ do: 'remove', select }, 'Take hands away')">
      Take them away
    </button>
    <template v-if="takes.sentences.length">
      <h2 class="heading mt-1">What was changed</h2>
      <ol class="list-decimal pl-6 text-soft">
        <li v-for="(one, i) in takes.sentences" :key="i">{{ one }}</li>
      </ol>
      <button class="action-main py-2" :disabled="!takes.changed || takes.again !== null" @click="takes.hearChanges()">
        {{ takes.again ? "Playing it" : takes.changed ? "Hear the changes" : "This is what you hear" }}
      </button>
    </template>
    <p v-else class="text-xs text-soft">What was recorded stays as it is: changes are laid over it, and can be undone one by one.</p>
  </section>
</template>
