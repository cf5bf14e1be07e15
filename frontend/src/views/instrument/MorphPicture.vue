<script setup lang="ts">
/** Outlines of the sounds that are morphed, and of what lies between them now. */
import { useTimeoutFn, watchDebounced } from "@vueuse/core";
import { computed, ref } from "vue";

import { api, wanted } from "../../api/client";
import type { components } from "../../api/schema";
import { type Layer, number, word } from "../../api/types";
import { useLive } from "../../stores/live";
import { useMovement } from "../../stores/movement";

const props = defineProps<{ layer: Layer; index: number }>();
const live = useLive();
const movement = useMovement();
type Picture = components["schemas"]["MorphPicture"];
const picture = ref<Picture | null>(null);
const W = 320;
const H = 92;
const RANGE = 66;

/** Where the newest voice is, or where a note would begin. */
const head = computed(() => live.look.layers[props.index]?.heads.at(-1)?.[0] ?? number(props.layer.settings, "position") / 100);
const place = computed(() => Math.round(40 * head.value) / 40);
const morph = computed(() => Math.round(2 * (movement.now(props.layer.id, "morph")?.value ?? number(props.layer.settings, "morph"))) / 200);
const amount = computed(() => number(props.layer.settings, "morph_amount") / 100);
/** How partials are to find each other, as set. */
const setting = computed(() => word(props.layer.settings, "matching"));
const sounds = computed(() => props.layer.sounds.filter(({ recording }) => recording));
const asked = computed(() => JSON.stringify([sounds.value, place.value, morph.value, amount.value, setting.value]));

const again = useTimeoutFn(() => void ask(), 900, { immediate: false });
watchDebounced(asked, () => void ask(), { debounce: 60, maxWait: 120, immediate: true });

let turn = 0;
async function ask(): Promise<void> {
  if (sounds.value.length < 2) return;
  const mine = ++turn;
  const body = { sounds: sounds.value, place: place.value, morph: morph.value, amount: amount.value, matching: setting.value };
  const found = await wanted(api.POST("/api/spectra/morph", { body })).catch(() => null);
  if (mine !== turn || !found) return;
  if (found.ready) picture.value = found;
  else again.start();
}

const top = computed(() => Math.max(-200, ...(picture.value ? [...picture.value.sounds.flat(), ...picture.value.between] : [])));
function line(db: number[]): string {
  return db
    .map((one, i) => `${((W * i) / (db.length - 1)).toFixed(1)},${Math.min(H, (H * (top.value + 3 - one)) / RANGE).toFixed(1)}`)
    .join(" ");
}
/** The two that are mixed now, the one left behind and the one ahead. */
const mixed = computed(() => (picture.value?.shares ?? []).map((share, i) => ({ share, i })).filter(({ share }) => share > 0.001));
const said = computed(() => mixed.value.map(({ share, i }) => `${Math.round(100 * share)} % ${sounds.value[i]?.name ?? ""}`).join(", "));
const marks = [100, 1_000, 10_000].map((hz) => ({
  word: hz < 1_000 ? String(hz) : `${hz / 1_000} k`,
  x: (W * Math.log(hz / 40)) / Math.log(16_000 / 40),
}));
</script>

<template>
  <figure class="mb-2" data-testid="morph">
    <svg
      :viewBox="`0 0 ${W} ${H + 12}`"
      class="block w-full border border-hairline bg-sheet"
      role="img"
      :aria-label="`Outlines of the sounds between: ${said}`"
    >
      <template v-for="mark in marks" :key="mark.word">
        <line :x1="mark.x" :x2="mark.x" y1="0" :y2="H" stroke="var(--hairline)" />
        <text :x="mark.x" :y="H + 10" text-anchor="middle" class="fill-soft text-[10px]">{{ mark.word }}</text>
      </template>
      <template v-if="picture">
        <polyline
          v-for="{ i } in mixed"
          :key="i"
          :points="line(picture.sounds[i]!)"
          fill="none"
          stroke="var(--ink-soft)"
          stroke-width="1"
          :stroke-dasharray="i === mixed[0]!.i ? undefined : '4 3'"
        />
        <polyline :points="line(picture.between)" fill="none" stroke="var(--petal)" stroke-width="2" />
      </template>
      <text v-else :x="W / 2" :y="H / 2" text-anchor="middle" class="fill-soft text-[11px]">taking the sounds apart</text>
    </svg>
    <figcaption class="truncate text-xs text-soft" :title="said">{{ said }}{{ picture ? `, matched ${picture.matching}` : "" }}</figcaption>
  </figure>
</template>
