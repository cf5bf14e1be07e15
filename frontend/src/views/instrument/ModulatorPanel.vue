<script setup lang="ts">
/** One modulator: its settings, what is drawn for it, and all it moves. */
import { computed, ref } from "vue";

import { api, wanted } from "../../api/client";
import { type Declared, isChoice, type Parameter, type Settings, type Value, word } from "../../api/types";
import EditableName from "../../controls/EditableName.vue";
import { useInstrument } from "../../stores/instrument";
import { useLiveMovement, useMovement } from "../../stores/movement";
import { useNotices } from "../../stores/notices";
import { useProject } from "../../stores/project";
import CurveChart from "./CurveChart.vue";
import EnvelopeChart from "./EnvelopeChart.vue";
import MovedList from "./MovedList.vue";
import ShelfPicker from "../../controls/ShelfPicker.vue";
import SettingsGroup from "./SettingsGroup.vue";
import StepsChart from "./StepsChart.vue";
import TracePicture from "./TracePicture.vue";

const props = defineProps<{ id: string }>();
const instrument = useInstrument();
const movement = useMovement();
const picking = ref(false);
const project = useProject();

const one = computed(() => movement.modulator(props.id)!);
const at = computed(() => movement.modulators.findIndex(({ id }) => id === props.id));
const kind = computed(() => project.catalogue.modulator_kinds.find(({ id }) => id === one.value.kind)!);
const groups = computed(() => {
  const found = new Map<string, Declared[]>();
  for (const declared of kind.value.parameters) found.set(declared.group, [...(found.get(declared.group) ?? []), declared]);
  return [...found].map(([name, list]) => ({ name, list }));
});
const drawn = computed(() => (kind.value.needs === "cycle" ? word(one.value.settings, "wave") === "drawn" : kind.value.needs === "shape"));
const rulesOf = (list: Declared[]) => list.filter((p): p is Parameter => !isChoice(p));
const moves = computed(() => movement.from(props.id));
const base = computed(() => `/modulators/${at.value}`);

function move(id: string, value: Value): void {
  instrument.move(props.id, id, value);
}

function rest(id: string, value: Value, name: string): void {
  move(id, value);
  instrument.rest(props.id, { [id]: value }, name);
}

/** Where several settings came to rest, as one revision. */
function restAll(values: Settings, label: string): void {
  instrument.rest(props.id, values, label);
}

function set(field: string, value: unknown, label: string): void {
  void instrument.edit(label, [{ op: "replace", path: `${base.value}/${field}`, value }]);
}

async function keep(): Promise<void> {
  if (instrument.id === null) return;
  try {
    await wanted(api.POST("/api/movements", { body: { instrument: instrument.id, modulator: props.id } }));
    useNotices().say(`'${one.value.name}' is kept with its ${moves.value.length} routes: find it under + Modulator in any instrument.`);
  } catch (error) {
    useNotices().complain(error);
  }
}

async function take(recording: number): Promise<void> {
  picking.value = false;
  await instrument.wire({ do: "take course", modulator: props.id, recording });
}

async function remove(): Promise<void> {
  if (await instrument.wire({ do: "remove", ids: [props.id] })) movement.chosen = null;
}

useLiveMovement();
</script>

<template>
  <aside
    class="flex w-[22rem] shrink-0 flex-col border-l border-hairline"
    aria-label="Modulator"
    :style="{ '--petal': 'var(--ink-soft)' }"
    @keydown.esc.stop="movement.chosen = null"
  >
    <div class="flex items-center gap-2 px-4 pt-4 pb-2">
      <h2 class="flex min-w-0 flex-1 font-serif text-lg leading-tight italic">
        <EditableName :name="one.name" what="modulator" @rename="set('name', $event, 'Rename')" />
      </h2>
      <span class="text-soft">{{ kind.name }}</span>
      <button class="quiet text-focus" title="Back to the settings (Esc)" @click="movement.chosen = null">Back</button>
    </div>
    <div class="flex min-h-0 flex-1 flex-col gap-2.5 overflow-y-auto px-4 pb-4">
      <TracePicture :id="id" :low="movement.swings(id) ? -1 : 0" :high="1" class="!h-14 shrink-0 border border-hairline bg-sheet" />
      <CurveChart
        v-if="drawn"
        :label="kind.needs === 'cycle' ? 'Drawn cycle' : 'Drawn shape'"
        :points="one.points"
        :low="kind.needs === 'cycle' ? -1 : 0"
        @points="set('points', $event, 'drawn curve')"
      />
      <StepsChart v-if="kind.needs === 'steps'" :steps="one.steps" @steps="set('steps', $event, 'steps')" />
      <label v-if="kind.needs === 'layer'" class="flex items-center gap-2"
        ><span class="text-soft">listens to</span>
        <select
          class="field min-w-0 flex-1 !py-0.5"
          :value="one.follows ?? ''"
          aria-label="Listens to"
          @change="set('follows', ($event.target as HTMLSelectElement).value || null, 'what it listens to')"
        >
          <option value="">the whole instrument</option>
          <option v-for="layer in instrument.document?.layers" :key="layer.id" :value="layer.id">{{ layer.name }}</option>
        </select>
      </label>
      <p v-if="kind.needs === 'recording'" class="flex items-center gap-2">
        <span class="text-soft">course of</span>
        <span class="min-w-0 flex-1 truncate font-serif" :class="{ 'text-soft italic': !one.sound }">{{
          one.sound ? one.sound.name || "a recording" : "nothing yet"
        }}</span>
        <button class="quiet text-focus" @click="picking = true">{{ one.sound ? "Swap" : "Choose a recording" }}</button>
        <ShelfPicker :open="picking" title="Choose a recording to follow" @close="picking = false" @pick="take" />
      </p>
      <SettingsGroup
        v-for="group in groups"
        :key="group.name"
        :name="group.name"
        :declared="group.list"
        :values="one.settings"
        :owner="id"
        @move="move"
        @rest="rest"
      >
        <EnvelopeChart
          v-if="group.list.some((p) => p.id === 'sustain')"
          class="mb-2"
          :settings="one.settings"
          :parameters="rulesOf(group.list)"
          prefix=""
          :what="one.name"
          @move="move"
          @rest="restAll"
        />
      </SettingsGroup>
      <section aria-label="What it moves">
        <h3 class="heading mb-1">What it moves</h3>
        <p v-if="!moves.length" class="text-soft">
          Nothing yet: drag it from the row above the routes onto a control, or press Shift Enter on a control.
        </p>
        <MovedList :routes="moves" />
      </section>
      <div class="-ml-1.5">
        <button class="quiet text-focus" title="With its routes, to drop into other instruments" @click="keep">Keep for reuse</button>
        <button class="quiet text-focus" @click="remove">Remove</button>
      </div>
    </div>
  </aside>
</template>
