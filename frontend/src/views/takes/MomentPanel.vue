<script setup lang="ts">
/** The moment that is chosen: its edges and fades, its name, what becomes of it. */
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";

import { clock } from "../../charts/takeLine";
import { useField } from "../../stores/field";
import { useInstrument } from "../../stores/instrument";
import { useLive } from "../../stores/live";
import { useNotices } from "../../stores/notices";
import { type Moment } from "../../api/types";
import { useTakes } from "../../stores/takes";
import MomentFigure from "./MomentFigure.vue";
import MomentPicture from "./MomentPicture.vue";

const LEAST_S = 0.02;
const props = defineProps<{ moment: Moment; head: number | null }>();
const takes = useTakes();
const live = useLive();
const router = useRouter();
const growing = ref(false);
const length = computed(() => takes.hands?.seconds ?? props.moment.end);
const onShelf = computed(() => takes.kept.find(({ key }) => key === props.moment.key) ?? null);
const playing = computed(() => live.listeningTo === takes.address);

function listen(): void {
  if (playing.value) live.hush();
  else live.listenToTake(takes.address, props.moment.start, props.moment.end);
}

function place(start: number, end: number): void {
  const from = Math.min(Math.max(0, start), length.value - LEAST_S);
  takes.decide(props.moment, { start: from, end: Math.min(length.value, Math.max(from + LEAST_S, end)) }, "Move the edges of a moment");
}

const fade = (which: "fade_in" | "fade_out", ms: number) => takes.decide(props.moment, { [which]: Math.min(ms, 60_000) }, "Fade a moment");

/** What is typed stays until it is another moment's, or its name is changed elsewhere. */
const draft = ref(props.moment.name);
watch(
  () => props.moment.name,
  (name) => (draft.value = name),
);
function rename(): void {
  const name = draft.value.trim();
  if (name && name !== props.moment.name) takes.decide(props.moment, { name }, "Name a moment");
}

async function toShelf(): Promise<number | null> {
  if (onShelf.value) return onShelf.value.id;
  if (!props.moment.kept) takes.keep(props.moment, true);
  const [made] = await takes.toShelf([props.moment.key]);
  return made ?? null;
}

async function keep(): Promise<void> {
  if ((await toShelf()) !== null) useNotices().say(`'${props.moment.name}' is on the shelf.`);
}

async function grow(): Promise<void> {
  growing.value = true;
  try {
    const recording = await toShelf();
    const made = recording === null ? null : await useField().grow({ id: recording }, 0);
    if (made !== null) {
      await useInstrument().list();
      await router.push(`/instrument/${made}`);
    }
  } catch (error) {
    useNotices().complain(error);
  } finally {
    growing.value = false;
  }
}
</script>

<template>
  <section class="flex shrink-0 flex-col gap-2" aria-label="The chosen moment">
    <div class="flex items-baseline">
      <h2 class="flex-1 font-serif text-lg">Moment {{ moment.rank || "by hand" }}</h2>
      <span class="text-soft">{{ clock(moment.start, true) }} to {{ clock(moment.end, true) }}</span>
    </div>
    <MomentPicture :moment="moment" :length="length" :head="head" @place="place" @fade="fade" />
    <p class="text-soft">{{ moment.words }}</p>
    <div class="grid grid-cols-4 gap-2 text-xs text-soft">
      <MomentFigure word="from, s" :step="0.01" :value="Number(moment.start.toFixed(3))" @typed="place($event, moment.end)" />
      <MomentFigure word="to, s" :step="0.01" :value="Number(moment.end.toFixed(3))" @typed="place(moment.start, $event)" />
      <MomentFigure word="fade in, ms" :step="1" :value="Number(moment.fade_in.toFixed(1))" @typed="fade('fade_in', $event)" />
      <MomentFigure word="fade out, ms" :step="1" :value="Number(moment.fade_out.toFixed(1))" @typed="fade('fade_out', $event)" />
    </div>
    <input
      id="moment-name"
      class="field w-full font-serif text-base italic"
      v-model="draft"
      maxlength="120"
      aria-label="Name of the moment"
      @change="rename"
      @keydown.enter="($event.target as HTMLInputElement).blur()"
    />
    <div class="flex gap-2">
      <button class="action" :title="playing ? 'Stop' : 'Listen to it'" @click="listen">{{ playing ? "Stop" : "Listen" }}</button>
      <RouterLink v-if="onShelf" class="action flex-1 text-center" :to="`/bench/${onShelf.id}`">On the bench</RouterLink>
      <button v-else class="action-main flex-1" :disabled="takes.keeping" @click="keep">Keep on the shelf</button>
      <button class="action" :disabled="growing || takes.keeping" title="A new instrument with one cloud of it" @click="grow">
        {{ growing ? "Growing" : "Grow from it" }}
      </button>
    </div>
    <button v-if="!moment.rank" class="quiet self-start text-soft" @click="takes.forget(moment)">Forget it</button>
  </section>
</template>
