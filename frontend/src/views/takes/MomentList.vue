<script setup lang="ts">
/** All moments of a take, the most promising first: hear, keep, drop and name each by keys; to the shelf in one go. */
import { useLocalStorage } from "@vueuse/core";
import { computed, nextTick, watch } from "vue";

import { clock } from "../../charts/takeLine";
import { reveal } from "../../composables/reveal";
import { useRows } from "../../composables/rows";
import DeclaredControls from "../../controls/DeclaredControls.vue";
import { useLive } from "../../stores/live";
import { useNotices } from "../../stores/notices";
import { useProject } from "../../stores/project";
import { useTakes } from "../../stores/takes";
import { seconds } from "../../theme/words";

const ROW_PX = 44;
const takes = useTakes();
const live = useLive();
const project = useProject();
const settings = useLocalStorage("bloom-moment-settings", false);
const declared = computed(() => project.catalogue.take);
const shelved = computed(() => new Set(takes.kept.map(({ key }) => key)));
const waiting = computed(() => takes.moments.filter((one) => one.kept && !shelved.value.has(one.key)).length);
const at = computed(() => takes.moments.findIndex(({ key }) => key === takes.chosenKey));
const { list, containerProps, wrapperProps } = useRows(
  computed(() => takes.moments),
  ROW_PX,
);

function listen(index: number): void {
  const one = takes.moments[index];
  if (one) live.listenToTake(takes.address, one.start, one.end);
}

function choose(index: number, hear = true): void {
  const one = takes.moments[index];
  if (!one) return;
  takes.chosenKey = one.key;
  if (hear) listen(index);
}

function decide(keep: boolean): void {
  const one = takes.moments[at.value];
  if (!one) return;
  takes.keep(one, keep);
  choose(Math.min(takes.moments.length - 1, at.value + 1));
}

const playing = computed(() => live.listeningTo === takes.address);
function key(event: KeyboardEvent): void {
  const keys: Record<string, () => void> = {
    ArrowDown: () => choose(at.value + 1),
    ArrowUp: () => choose(Math.max(0, at.value - 1)),
    Enter: () => (playing.value ? live.hush() : listen(at.value)),
    k: () => decide(true),
    d: () => decide(false),
    n: () => document.getElementById("moment-name")?.focus(),
  };
  if (event.ctrlKey || event.metaKey || !keys[event.key]) return;
  event.preventDefault();
  event.stopPropagation();
  keys[event.key]!();
}

async function toShelf(): Promise<void> {
  const made = await takes.toShelf();
  if (made.length) useNotices().say(`${made.length} ${made.length === 1 ? "moment is" : "moments are"} on the shelf.`);
}

watch(at, async (index) => {
  await nextTick();
  if (index >= 0) reveal(containerProps.ref.value, index, ROW_PX);
});
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
    <div
      class="-mx-2 min-h-24 flex-1 border-y border-hairline"
      v-bind="containerProps"
      tabindex="0"
      role="group"
      aria-label="List of moments. Arrows hear the next, K keeps, D drops, N names."
      data-testid="moments"
      data-letters="commands"
      @keydown="key"
    >
      <ol v-bind="wrapperProps">
        <li
          v-for="{ data: one, index } in list"
          :key="one.key"
          class="flex h-[44px] items-center gap-2 px-2"
          :class="one.key === takes.chosenKey ? 'bg-sheet' : ''"
          :data-kept="one.kept"
          @click="choose(index)"
        >
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
        </li>
      </ol>
      <p v-if="!takes.ready" class="p-3 text-soft">
        It is being listened to.
        <button class="text-focus underline" @click="takes.listen()">Listen to it now</button>
      </p>
      <p v-else-if="!takes.moments.length" class="p-3 text-soft">
        Nothing here stands out: raise the sensitivity, or drag across the page to choose a stretch.
      </p>
    </div>
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
