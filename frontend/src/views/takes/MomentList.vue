<script setup lang="ts">
/** All moments of a take, the most promising first: hear, keep, drop and name each by keys; to the shelf in one go. */
import { useLocalStorage } from "@vueuse/core";
import { computed } from "vue";

import type { Moment } from "../../api/types";
import { clock } from "../../charts/takeLine";
import DeclaredControls from "../../controls/DeclaredControls.vue";
import HeardList from "../../controls/HeardList.vue";
import { useLive } from "../../stores/live";
import { useNotices } from "../../stores/notices";
import { useProject } from "../../stores/project";
import { useTakes } from "../../stores/takes";
import { seconds } from "../../theme/words";

const takes = useTakes();
const live = useLive();
const project = useProject();
const settings = useLocalStorage("bloom-moment-settings", false);
const declared = computed(() => project.catalogue.take);
const shelved = computed(() => new Set(takes.kept.map(({ key }) => key)));
const waiting = computed(() => takes.moments.filter((one) => one.kept && !shelved.value.has(one.key)).length);
function listen(one: Moment): void {
  takes.chosenKey = one.key;
  live.listenToTake(takes.address, one.start, one.end);
}

/** Once more means that it shall stop. */
function hear(one: Moment): void {
  if (one.key === takes.chosenKey && live.listeningTo === takes.address) live.hush();
  else listen(one);
}

function decide(one: Moment, keep: boolean): void {
  takes.keep(one, keep);
  const after = takes.moments.findIndex(({ key }) => key === one.key) + 1;
  listen(takes.moments[Math.min(takes.moments.length - 1, after)]!);
}

const LETTERS = {
  k: (one: Moment) => decide(one, true),
  d: (one: Moment) => decide(one, false),
  n: () => document.getElementById("moment-name")?.focus(),
};

async function toShelf(): Promise<void> {
  const made = await takes.toShelf();
  if (made.length) useNotices().say(`${made.length} ${made.length === 1 ? "moment is" : "moments are"} on the shelf.`);
}
</script>

<template>
  <section class="flex min-h-40 flex-1 flex-col gap-1.5" aria-label="Moments">
    <div class="flex items-baseline gap-2">
      <h2 class="flex-1 font-semibold">{{ takes.moments.length }} {{ takes.moments.length === 1 ? "moment" : "moments" }}</h2>
      <button class="quiet text-soft" :aria-expanded="settings" @click="settings = !settings">
        {{ settings ? "Fold settings" : "Settings" }}
      </button>
    </div>
    <div v-if="settings && takes.document" class="grid grid-cols-2 gap-x-5 px-1">
      <DeclaredControls
        :declared="declared"
        :values="takes.document"
        @move="(id, value) => takes.move(id, value)"
        @rest="(id, value, name) => takes.set(id, value, name)"
      />
    </div>
    <div v-if="takes.stretch" class="flex items-center gap-2 border-l-4 border-focus pl-2">
      <span class="flex-1">{{ clock(takes.stretch.start, true) }} to {{ clock(takes.stretch.end, true) }}</span>
      <button class="quiet text-focus" @click="takes.add(takes.stretch)">Make it a moment</button>
    </div>
    <HeardList
      class="-mx-2 min-h-24 flex-1 border-y border-hairline"
      :rows="takes.moments"
      :key-of="(one) => one.key"
      :row-px="44"
      :chosen="takes.chosenKey"
      :letters="LETTERS"
      :kept="(one) => one.kept"
      label="List of moments: K keeps, D drops, N names"
      testid="moments"
      @hear="hear"
    >
      <template #default="{ one }">
        <div class="flex h-full min-w-0 flex-1 cursor-pointer items-center gap-2" @click="listen(one)">
          <b class="w-5 shrink-0 text-right" :class="one.kept ? 'text-good' : 'text-soft'">{{ one.rank || "+" }}</b>
          <span class="min-w-0 flex-1 leading-tight" :class="one.kept === false ? 'text-soft line-through' : ''">
            <span class="block truncate">{{ one.words }}</span>
            <span class="block truncate text-xs text-soft"
              >{{ clock(one.start, true) }}, {{ seconds(one.end - one.start) }}{{ shelved.has(one.key) ? ", on the shelf" : "" }}</span
            >
          </span>
          <button
            class="quiet !px-1 !py-0"
            tabindex="-1"
            :aria-label="`${one.kept ? 'Drop' : 'Keep'} moment ${one.rank || 'chosen by hand'} at ${clock(one.start, true)}`"
            :title="one.kept ? 'Drop (D)' : 'Keep (K)'"
            @click.stop="takes.keep(one, !one.kept)"
          >
            {{ one.kept ? "Drop" : "Keep" }}
          </button>
        </div>
      </template>
      <template #empty>
        <p v-if="!takes.ready" class="p-3 text-soft">
          It is being listened to.
          <button class="text-focus underline" @click="takes.listen()">Listen to it now</button>
        </p>
        <p v-else-if="!takes.moments.length" class="p-3 text-soft">
          Nothing here stands out: raise the sensitivity, or drag across the page to choose a stretch.
        </p>
      </template>
    </HeardList>
    <p class="text-xs text-soft">↑ ↓ hear the next, Enter listens, K keep, D drop, N name.</p>
    <button class="action-main py-2" :disabled="!waiting || takes.keeping" @click="toShelf">
      {{ takes.keeping ? "Keeping" : waiting ? `Put ${waiting} on the shelf` : "Keep some to put them on the shelf" }}
    </button>
    <p v-if="takes.kept.length" class="text-soft">
      On the shelf from it:
      <template v-for="(one, i) in takes.kept.slice(0, 6)" :key="one.id"
        ><template v-if="i">, </template
        ><RouterLink class="font-serif text-ink hover:underline" :to="`/bench/${one.id}`">{{ one.name }}</RouterLink></template
      ><template v-if="takes.kept.length > 6"> and {{ takes.kept.length - 6 }} more</template>
    </p>
  </section>
</template>
