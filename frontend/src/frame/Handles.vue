<script setup lang="ts">
/** Macros as rules, the morph between their two settings, and the gesture pad, which drifts on when let go. */
import { computed, ref } from "vue";

import { number, type Parameter } from "../api/types";
import Rule from "../controls/Rule.vue";
import { useInstrument } from "../stores/instrument";
import { WHOLE } from "../stores/owners";
import { useLive } from "../stores/live";
import { useLiveMovement, useMovement } from "../stores/movement";
import { useProject } from "../stores/project";

const instrument = useInstrument();
const live = useLive();
const movement = useMovement();
const project = useProject();
const box = ref<HTMLElement>();
const held = ref<[number, number] | null>(null);

const macros = computed(() => movement.modulators.map((one, at) => ({ one, at })).filter(({ one }) => one.kind === "macro"));
const declared = computed(() => project.catalogue.modulator_kinds.find(({ id }) => id === "macro")?.parameters as Parameter[] | undefined);
const morph = computed(() => project.catalogue.whole.find(({ id }) => id === "morph") as Parameter | undefined);
const MIDDLE: [number, number] = [0, 0];
const place = computed<[number, number]>(() => held.value ?? live.look.moving?.pad ?? MIDDLE);
const second = ref(false);
const setting = computed(() => (second.value ? "other" : "value"));

function rule(name: string): Parameter | null {
  const one = declared.value?.find(({ id }) => id === setting.value);
  return one ? { ...one, name, group: "Macro" } : null;
}

function rest(at: number, value: number, name: string): void {
  void instrument.edit(name, [{ op: "replace", path: `/modulators/${at}/settings/${setting.value}`, value }]);
}

function restMorph(value: number): void {
  instrument.rest(WHOLE, { morph: value }, "morph");
}

function put(event: PointerEvent): void {
  const area = box.value!.getBoundingClientRect();
  const clip = (value: number) => Math.min(1, Math.max(-1, value));
  held.value = [clip((2 * (event.clientX - area.left)) / area.width - 1), clip(1 - (2 * (event.clientY - area.top)) / area.height)];
  live.send({ do: "pad_across", value: held.value[0] });
  live.send({ do: "pad_up", value: held.value[1] });
}

function down(event: PointerEvent): void {
  box.value!.setPointerCapture(event.pointerId);
  put(event);
}

function up(): void {
  if (!held.value) return;
  held.value = null;
  live.send({ do: "pad_let_go" });
}

function key(event: KeyboardEvent): void {
  const by = { ArrowRight: [0.05, 0], ArrowLeft: [-0.05, 0], ArrowUp: [0, 0.05], ArrowDown: [0, -0.05] }[event.key];
  if (!by) return;
  event.preventDefault();
  event.stopPropagation();
  const clip = (value: number) => Math.min(1, Math.max(-1, value));
  live.send({ do: "pad_across", value: clip(place.value[0] + by[0]!) });
  live.send({ do: "pad_up", value: clip(place.value[1] + by[1]!) });
}

function randomise(): void {
  void instrument.wire({ do: "random macros", seed: Math.floor(Math.random() * 2 ** 31) });
}

useLiveMovement();
</script>

<template>
  <div class="flex gap-5">
    <div
      ref="box"
      class="relative h-full w-52 shrink-0 cursor-crosshair touch-none border border-hairline bg-paper"
      role="application"
      tabindex="0"
      aria-label="Gesture pad: drag, or arrow keys; across and up are sources"
      title="Across and up are sources of routes. Let go while moving and it drifts on."
      data-testid="pad"
      @pointerdown="down"
      @pointermove="held && put($event)"
      @pointerup="up"
      @pointercancel="up"
      @keydown="key"
    >
      <i class="absolute top-0 left-1/2 h-full w-px bg-hairline" /><i class="absolute top-1/2 left-0 h-px w-full bg-hairline" />
      <i
        class="absolute size-3 -translate-x-1/2 -translate-y-1/2 rounded-full bg-[var(--petal)]"
        :style="{ left: `${50 + 50 * place[0]}%`, top: `${50 - 50 * place[1]}%` }"
      />
    </div>
    <div class="min-w-0 flex-1 overflow-y-auto">
      <div class="grid grid-cols-[repeat(auto-fill,minmax(9.5rem,1fr))] gap-x-5 gap-y-0.5">
        <template v-for="{ one, at } in macros" :key="one.id">
          <Rule
            v-if="rule(one.name)"
            :parameter="rule(one.name)!"
            :value="number(one.settings, setting)"
            @move="instrument.move(one.id, setting, $event)"
            @rest="rest(at, $event, one.name)"
            @ask="movement.ask(one.id, setting)"
          />
        </template>
        <Rule
          v-if="morph && macros.length"
          :parameter="morph"
          :value="number(instrument.document?.settings ?? {}, 'morph')"
          @move="instrument.move(WHOLE, 'morph', $event)"
          @rest="restMorph"
        />
      </div>
      <p v-if="!macros.length" class="text-soft">
        No macro yet: one handle that moves many settings.
        <button
          class="text-focus hover:underline"
          :disabled="!instrument.document"
          @click="instrument.wire({ do: 'add modulator', kind: 'macro' })"
        >
          Add a macro
        </button>
      </p>
      <div v-else class="mt-1 flex gap-1 -ml-1.5 text-xs">
        <button
          class="quiet text-focus"
          :aria-pressed="second"
          title="The other setting is the one that a macro blend of 100 % reaches"
          @click="second = !second"
        >
          {{ second ? "Back to the first setting" : "To the other setting" }}
        </button>
        <button class="quiet text-focus" @click="randomise">Random</button>
        <button class="quiet text-focus" @click="instrument.wire({ do: 'add modulator', kind: 'macro' })">Add a macro</button>
      </div>
    </div>
  </div>
</template>
