<script setup lang="ts">
/** A stack of plain waves: each heard, or modulating another. */
import { computed, ref } from "vue";

import type { Operator, Parameter, TableDocument } from "../../api/types";
import DeclaredControls from "../../controls/DeclaredControls.vue";
import Rule from "../../controls/Rule.vue";
import { useTable } from "../../stores/table";
import ShelfPicker from "../../controls/ShelfPicker.vue";
import { useShelf } from "../../stores/shelf";

type Waves = Extract<TableDocument["source"], { kind: "waves" }>;

const table = useTable();
const source = computed(() => table.source as Waves);
const wavesOf = (document: TableDocument) => document.source as Waves;
const chosen = ref(0);
const picking = ref(false);
const MOST = 8;

const operators = computed(() => source.value.operators);
const one = computed(() => operators.value[Math.min(chosen.value, operators.value.length - 1)]!);
const index = computed(() => operators.value.indexOf(one.value));
const frames = computed(() => table.words?.waves[0] as Parameter);
const LEAST = computed(() => (table.words?.operator.find(({ id }) => id === "start") as Parameter | undefined)?.low ?? 0.001);
const amount = (value: number) => (value <= LEAST.value ? "0" : String(Number(value.toPrecision(3))));
const name = (at: number) => String.fromCharCode(65 + at);
const nameOf = (id: string | null) => name(operators.value.findIndex((other) => other.id === id));
/** An amount travels from a level to a level, or from a depth to a depth. */
const declared = computed(() =>
  (table.words?.operator ?? []).map((p) =>
    p.id === "start" || p.id === "end" ? { ...p, name: `${one.value.into === null ? "level" : "radians"} ${p.name}` } : p,
  ),
);
const told = (operator: Operator) => {
  const travels = operator.start === operator.end ? amount(operator.start) : `${amount(operator.start)} to ${amount(operator.end)}`;
  return `${operator.wave} × ${operator.harmonic}, ${travels}, ${operator.into === null ? "heard" : `moves ${nameOf(operator.into)}`}`;
};
/** What this one may modulate without closing a ring. */
const targets = computed(() =>
  operators.value.filter((other) => {
    let at: Operator | undefined = other;
    while (at) {
      if (at.id === one.value.id) return false;
      at = operators.value.find(({ id }) => id === at!.into);
    }
    return true;
  }),
);

function set(id: string, to: unknown, label: string): void {
  const at = index.value;
  void table.edit(label, (document) => Object.assign(wavesOf(document).operators[at]!, { [id]: to }));
}

function add(): void {
  const free = Array.from({ length: MOST }, (_, i) => `o${i + 1}`).find((id) => operators.value.every((other) => other.id !== id))!;
  const into = operators.value[0]!.id;
  void table.edit("Add a wave", (document) =>
    wavesOf(document).operators.push({ id: free, wave: "sine", harmonic: 2, phase: 0, start: 0.001, end: 1, bend: 0, into, sound: null }),
  );
  chosen.value = operators.value.length;
}

function remove(): void {
  const gone = one.value.id;
  void table.edit("Remove a wave", (document) => {
    const left = wavesOf(document).operators.filter(({ id }) => id !== gone);
    for (const other of left) if (other.into === gone) other.into = null;
    wavesOf(document).operators = left;
  });
  chosen.value = Math.max(0, index.value - 1);
}

async function pick(recording: number): Promise<void> {
  picking.value = false;
  const found = useShelf().byId.get(recording);
  if (!found) return;
  const cycle = found.kind === "wavetable" ? table.words!.cycle : null;
  set("sound", { recording: found.digest, name: found.name, cycle }, "Cycle of a wave");
}
</script>

<template>
  <section aria-label="Waves" class="flex flex-col gap-2">
    <div class="flex items-baseline justify-between">
      <h2 class="font-serif text-lg">Built from waves</h2>
      <button class="quiet text-focus" :disabled="operators.length >= MOST" @click="add">+ Wave</button>
    </div>
    <ol>
      <li v-for="(operator, i) in operators" :key="operator.id">
        <button
          class="flex w-full items-baseline gap-2 rounded-sm px-1 py-0.5 text-left"
          :class="operator === one ? 'bg-sheet' : 'hover:bg-sheet'"
          :aria-pressed="operator === one"
          :data-operator="operator.id"
          @click="chosen = i"
        >
          <span class="font-serif font-semibold">{{ name(i) }}</span
          ><span class="truncate" :class="operator.into === null ? '' : 'text-soft'">{{ told(operator) }}</span>
        </button>
      </li>
    </ol>
    <div class="flex flex-col gap-1.5 border-t border-hairline pt-2">
      <DeclaredControls
        :declared="declared"
        :values="one"
        @move="(id, value) => table.move(`/source/operators/${index}/${id}`, value)"
        @rest="set"
      />
      <p v-if="one.wave === 'cycle'" class="flex items-center gap-2">
        <span class="text-soft">cycle of</span><span class="min-w-0 flex-1 truncate font-serif">{{ one.sound?.name ?? "nothing yet" }}</span
        ><button class="quiet text-focus" @click="picking = true">Choose</button>
      </p>
      <label class="flex items-center gap-2"
        ><span class="text-soft">goes</span>
        <select
          class="field min-w-0 flex-1 !py-0.5"
          :value="one.into ?? ''"
          aria-label="Where it goes"
          @change="set('into', ($event.target as HTMLSelectElement).value || null, 'Where a wave goes')"
        >
          <option value="">to be heard</option>
          <option v-for="other in targets" :key="other.id" :value="other.id">into {{ nameOf(other.id) }}, moving its phase</option>
        </select>
        <button class="quiet text-focus" :disabled="operators.length === 1" @click="remove">Remove</button>
      </label>
      <Rule
        v-if="frames"
        :parameter="frames"
        :value="source.frames"
        @move="table.move('/source/frames', $event)"
        @rest="table.edit('Frames', (document) => (wavesOf(document).frames = $event))"
      />
    </div>
    <ShelfPicker :open="picking" title="Choose a recording of one cycle, or a wavetable" @close="picking = false" @pick="pick" />
  </section>
</template>
