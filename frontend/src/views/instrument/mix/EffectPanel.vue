<script setup lang="ts">
/** The chosen effect: its picture, its rules, what it listens to, what it costs. */
import { computed, ref } from "vue";

import { api, wanted } from "../../../api/client";
import { type Declared, type Value, word } from "../../../api/types";
import PetalMark from "../../../charts/PetalMark.vue";
import Segments from "../../../controls/Segments.vue";
import ShelfPicker from "../../../controls/ShelfPicker.vue";
import TypedInPlace from "../../../controls/TypedInPlace.vue";
import { useInstrument } from "../../../stores/instrument";
import { useMix } from "../../../stores/mix";
import { useLiveMovement } from "../../../stores/movement";
import { useNotices } from "../../../stores/notices";
import PathChart from "../PathChart.vue";
import SettingsGroup from "../SettingsGroup.vue";
import BandHandles from "./BandHandles.vue";
import EffectCurve from "./EffectCurve.vue";
import EffectReadings from "./EffectReadings.vue";
import { useEffectPicture } from "./effectPicture";

const WIDTH = 320;
const HEIGHT = 150;
const instrument = useInstrument();
const mix = useMix();
useLiveMovement();
const found = computed(() => mix.effect!);
const effect = computed(() => found.value.effect);
const kind = computed(() => mix.kindOf(effect.value)!);
const picture = useEffectPicture(() => effect.value);
const picking = ref(false);
const off = computed(() => word(effect.value.settings, "on") === "off");
const colour = computed(() => (found.value.stream.petal ? `var(--${found.value.stream.petal})` : "var(--ink)"));

const groups = computed(() => {
  const by = new Map<string, Declared[]>();
  for (const one of kind.value.declared) {
    // switched above; beside another effect is only a question where there is one
    if (one.id === "on" || (one.id === "beside" && found.value.at === 0)) continue;
    by.set(one.group, [...(by.get(one.group) ?? []), one]);
  }
  return [...by].sort(([a], [b]) => Number(a === "Effect") - Number(b === "Effect"));
});
const shown = computed(() => mix.seen?.effects[effect.value.id] ?? []);
const levelNow = computed(() => (kind.value.shows.includes("level") ? (shown.value[kind.value.shows.indexOf("level")] ?? null) : null));
/** What passes it now; that of the effect before may still be on its way. */
const passing = computed(() => (mix.seen?.watched?.effect === effect.value.id ? mix.seen.watched : null));
const others = computed(() => [
  { value: "", word: "none" },
  ...(instrument.document?.layers ?? [])
    .filter(({ id }) => id !== found.value.stream.id)
    .map(({ id, name }) => ({ value: id, word: name })),
]);
const cost = computed(() => {
  const made = picture.value;
  if (!made) return "";
  const late = made.latency_ms > 0 ? `late by ${made.latency_ms.toFixed(1)} ms, made up for elsewhere` : "no delay";
  return `About ${(100 * made.cost).toFixed(1)} % of a core, ${late}.`;
});

function move(id: string, value: Value): void {
  instrument.move(effect.value.id, id, value);
}
function rest(id: string, value: Value, name: string): void {
  instrument.move(effect.value.id, id, value);
  instrument.rest(effect.value.id, { [id]: value }, `${kind.value.name} ${name}`);
}
async function lend(recording: number): Promise<void> {
  picking.value = false;
  await instrument.mix({ do: "lend", effect: effect.value.id, recording });
}
function listen(layer: string): void {
  void instrument.edit(`${kind.value.name} listens`, [
    { op: "replace", path: `${found.value.path}/listens_to`, value: layer || null },
    { op: "replace", path: `${found.value.path}/settings/listens`, value: layer ? "a layer" : "itself" },
  ]);
}
async function keep(name: string): Promise<void> {
  if (instrument.id === null) return;
  try {
    await instrument.settled();
    await wanted(api.POST("/api/chains", { body: { instrument: instrument.id, chain: found.value.stream.id, name } }));
    useNotices().say(`'${name}' is kept: every + of an effect offers it.`);
  } catch (error) {
    useNotices().complain(error);
  }
}
</script>

<template>
  <aside class="flex w-[22rem] shrink-0 flex-col border-l border-hairline" aria-label="Effect" :style="{ '--petal': colour }">
    <div class="px-4 pt-4 pb-2">
      <div class="flex items-baseline gap-2">
        <PetalMark v-if="found.stream.petal" class="self-center" :petal="found.stream.petal" />
        <h2 class="min-w-0 flex-1 truncate font-serif text-lg leading-tight">{{ kind.name }}</h2>
        <button class="truncate text-soft hover:text-ink" @click="mix.chosen = { what: 'stream', id: found.stream.id }">
          {{ found.stream.name }}
        </button>
      </div>
      <div class="mt-2 flex items-center gap-2">
        <Segments
          tight
          label="Effect"
          :model-value="off ? 'off' : 'on'"
          :options="[
            { value: 'on', word: 'on' },
            { value: 'off', word: 'off', help: 'The sound passes as it is' },
          ]"
          @update:model-value="rest('on', $event, $event)"
        />
        <button
          class="quiet"
          :class="{ 'font-semibold text-warn': mix.alone === effect.id }"
          :aria-pressed="mix.alone === effect.id"
          title="Only the difference between what goes in and what comes out; everything else is silent"
          @click="mix.hearAlone(mix.alone === effect.id ? null : effect.id)"
        >
          {{ mix.alone === effect.id ? "Hearing only what it changes" : "Hear what it changes" }}
        </button>
        <button class="quiet ml-auto text-soft" title="Take it away (Delete)" @click="mix.remove(effect.id)">Remove</button>
      </div>
    </div>
    <div class="flex min-h-0 flex-1 flex-col gap-2.5 overflow-y-auto px-4 pb-4">
      <div v-if="kind.picture !== 'none'" class="relative border border-hairline bg-sheet">
        <EffectCurve
          large
          :kind="kind"
          :picture="picture"
          :width="WIDTH"
          :height="HEIGHT"
          :colour="colour"
          :now="levelNow"
          :passing="passing"
        />
        <BandHandles
          v-if="kind.id === 'equaliser'"
          :effect="effect"
          :width="WIDTH"
          :height="HEIGHT"
          @move="move"
          @rest="instrument.rest(effect.id, $event, 'Equaliser')"
        />
      </div>
      <EffectReadings
        :kind="kind"
        :shown="shown"
        :floors="passing?.floors ?? null"
        :picture="picture"
        @gate="mix.add(found.stream.id, 'gate', found.at)"
      />
      <p v-if="kind.sound === 'one'" class="flex items-baseline gap-2">
        <span class="text-soft">{{ effect.sound ? "of" : "no sound yet" }}</span>
        <span class="min-w-0 flex-1 truncate font-serif" data-testid="effect-sound">{{ effect.sound?.name }}</span>
        <button class="quiet text-focus" @click="picking = true">{{ effect.sound ? "Swap" : "Choose a sound" }}</button>
      </p>
      <PathChart
        v-if="kind.id === 'embed' && effect.sound"
        :given="effect.drawn_level"
        :at="`${found.path}/drawn_level`"
        what="drawn_level"
      />
      <label v-if="kind.listens" class="flex items-baseline gap-2">
        <span class="text-soft">layer it listens to</span>
        <select
          class="field min-w-0 flex-1 !py-0.5"
          :value="effect.listens_to ?? ''"
          @change="listen(($event.target as HTMLSelectElement).value)"
        >
          <option v-for="one in others" :key="one.value" :value="one.value">{{ one.word }}</option>
        </select>
      </label>
      <SettingsGroup
        v-for="[name, declared] in groups"
        :key="name"
        :name="name"
        :declared="declared"
        :values="effect.settings"
        :owner="effect.id"
        @move="move"
        @rest="rest"
      />
      <section aria-label="Its cost">
        <h3 class="heading mb-1">Its cost</h3>
        <p class="text-soft">{{ cost }}</p>
      </section>
      <p class="flex items-baseline gap-2">
        <span class="text-soft">keep this chain as</span>
        <TypedInPlace
          shown="type a name"
          start=""
          label="Name to keep the chain under"
          shown-class="font-serif italic text-focus"
          @typed="$event && keep($event)"
        />
      </p>
    </div>
    <ShelfPicker :open="picking" :title="`A sound for ${kind.name}`" @close="picking = false" @pick="lend" />
  </aside>
</template>
