<script setup lang="ts">
/** Again, otherwise: the same hands, or a stretch of them, played in another way; what came of it is heard and kept. */
import { computed, onMounted } from "vue";

import type { Rendering, WayAgain } from "../../api/types";
import { clock } from "../../charts/takeLine";
import MenuButton from "../../controls/MenuButton.vue";
import MenuChoice from "../../controls/MenuChoice.vue";
import { useEnsemble } from "../../stores/ensemble";
import { useInstrument } from "../../stores/instrument";
import { useJobs } from "../../stores/jobs";
import { useLive } from "../../stores/live";
import { useNotices } from "../../stores/notices";
import { useTakes } from "../../stores/takes";

const SHEET = 9;
const MOST_SEED = 999_999;
const PACES = [
  { slower: 0.5, word: "twice as fast" },
  { slower: 0.75, word: "a third faster" },
  { slower: 1.5, word: "half as slow again" },
  { slower: 2, word: "half as fast" },
  { slower: 4, word: "a quarter as fast" },
];
const takes = useTakes();
const live = useLive();
const jobs = useJobs();
const instrument = useInstrument();
const ensemble = useEnsemble();
const plain: WayAgain = { seed: null, slower: 1, layers: [], instrument: null, ensemble: null, snapshot: null, stream: null, fine: false };

/** A chosen moment or stretch, or all of it. */
const part = computed(() => takes.stretch ?? takes.chosen ?? null);
const of = computed(() => {
  if (!part.value) return `the whole take, ${clock(takes.hands?.seconds ?? 0)}`;
  const what = takes.stretch ? "the stretch" : `moment ${takes.chosen?.rank || "by hand"}`;
  return `${what}, ${clock(part.value.start, true)} to ${clock(part.value.end, true)}`;
});
const snapshots = computed(() => takes.hands?.snapshots ?? []);
const layers = computed(() => takes.hands?.layers ?? []);
const job = computed(() => jobs.jobs.find(({ id }) => id === takes.again) ?? null);

onMounted(() => void ensemble.list().catch((error) => useNotices().complain(error)));

const play = (...ways: Partial<WayAgain>[]) =>
  void takes.playAgain(
    ways.map((way) => ({ ...plain, ...way })),
    part.value,
  );
/** Other chances, each its own. */
const sheet = () => play(...Array.from({ length: SHEET }, () => ({ seed: Math.floor(Math.random() * MOST_SEED) })));
const streams = computed(() => takes.hands?.streams ?? []);
const stems = computed(() => takes.hands?.stems ?? []);

const address = (one: Rendering) => `${takes.document?.about.folder ?? ""}/${one.id}`;
const playing = (one: Rendering) => live.listeningTo === address(one);
const listen = (one: Rendering) => (playing(one) ? live.hush() : live.listenToTake(address(one), 0));
const keep = (one: Rendering) => takes.keepRendering(one, `${takes.document!.name}, ${one.words}`.slice(0, 120));
const exact = (one: Rendering) => (one.exact === null ? "" : one.exact ? ", the same to the bit" : ", not the same to the bit");
const use = (one: Rendering) => void takes.useSound(one.id);
</script>

<template>
  <section class="flex min-h-0 flex-1 flex-col gap-1" aria-label="Again, otherwise">
    <p class="text-soft">Played again from its hands: {{ of }}</p>
    <div v-if="takes.changed" class="flex items-center gap-2 border-l-4 border-warn pl-2">
      <span class="flex-1">The hands were changed since.</span>
      <button class="action" :disabled="takes.again !== null" @click="takes.hearChanges()">Hear the changes</button>
    </div>
    <div class="flex flex-col items-start font-serif text-base [&_button]:text-left">
      <button class="quiet" :disabled="takes.again !== null" title="Bit for bit, and whether that holds is said" @click="play({})">
        the same again
      </button>
      <button class="quiet" :disabled="takes.again !== null" title="Grains, draws and random modulators fall otherwise" @click="sheet">
        the same hands, other chance: nine to choose from
      </button>
      <MenuButton word="through another instrument" align="left" width="w-72" items-class="max-h-80">
        <MenuChoice v-for="one in instrument.lines" :key="one.id" @click="play({ instrument: one.id })">{{ one.name }}</MenuChoice>
      </MenuButton>
      <MenuButton v-if="ensemble.lines.length" word="as an ensemble" align="left" width="w-72" items-class="max-h-80">
        <MenuChoice v-for="one in ensemble.lines" :key="one.id" @click="play({ ensemble: one.id })">{{ one.name }}</MenuChoice>
      </MenuButton>
      <MenuButton v-if="snapshots.length" word="through a snapshot" align="left" width="w-56" items-class="max-h-80">
        <MenuChoice v-for="one in snapshots" :key="one.id" @click="play({ snapshot: one.id })">{{ one.name }}</MenuChoice>
      </MenuButton>
      <MenuButton word="slower or faster, same pitch" align="left" width="w-56">
        <MenuChoice v-for="one in PACES" :key="one.slower" @click="play({ slower: one.slower })">{{ one.word }}</MenuChoice>
      </MenuButton>
      <MenuButton v-if="layers.length > 1" word="only one of its layers" align="left" width="w-56">
        <MenuChoice v-for="one in layers" :key="one.id" @click="play({ layers: [one.id] })">{{ one.name }}</MenuChoice>
      </MenuButton>
      <MenuButton v-if="streams.length" word="only one of its shared streams" align="left" width="w-56">
        <MenuChoice v-for="one in streams" :key="one.id" @click="play({ stream: one.id })">{{ one.name }}</MenuChoice>
      </MenuButton>
      <button
        v-if="takes.hands?.finer"
        class="quiet"
        :disabled="takes.again !== null"
        title="Drive of layers at four times the rate: hard and high notes stay clean. All else is as fine already."
        @click="play({ fine: true })"
      >
        in high quality
      </button>
      <button
        v-if="stems.length > 2"
        class="quiet"
        :disabled="takes.again !== null"
        title="A sound for each; without effects of the whole that answer to level they add up to it"
        @click="play(...stems)"
      >
        stems: each layer{{ streams.length ? ", each shared stream" : "" }} and the whole
      </button>
    </div>
    <div v-if="job" class="mt-1 flex items-center gap-2">
      <progress class="h-1.5 flex-1" :value="job.progress" max="1" :aria-label="job.title" />
      <button class="quiet" @click="jobs.cancel(job.id)">Cancel</button>
    </div>
    <h2 class="heading mt-2">Played again</h2>
    <ol class="-mx-2 min-h-20 flex-1 overflow-y-auto" aria-label="What it was played again to">
      <li
        v-for="one in takes.renderings"
        :key="one.id"
        class="px-2 py-1.5"
        :class="one.id === takes.sound ? 'bg-sheet' : ''"
        data-testid="rendering"
      >
        <p class="leading-tight">{{ one.words }}{{ one.edits ? ", changed hands" : "" }}{{ exact(one) }}</p>
        <p class="flex items-center gap-1 text-xs text-soft">
          <span class="flex-1">{{ one.whole ? "" : `from ${clock(one.start, true)}, ` }}{{ clock(one.seconds, true) }}</span>
          <button class="quiet !px-1 !py-0 text-ink" @click="listen(one)">{{ playing(one) ? "Stop" : "Listen" }}</button>
          <button class="quiet !px-1 !py-0 text-ink" @click="keep(one)">Keep on the shelf</button>
          <button
            v-if="one.whole && one.id !== takes.sound"
            class="quiet !px-1 !py-0 text-ink"
            title="What is heard of the take from now on"
            @click="use(one)"
          >
            Use
          </button>
          <button v-if="one.id !== takes.sound" class="quiet !px-1 !py-0 text-ink" @click="takes.removeRendering(one)">Delete</button>
          <span v-else>heard now</span>
        </p>
      </li>
      <li v-if="!takes.renderings.length" class="px-2 text-soft">Nothing yet. Choose a way above.</li>
    </ol>
    <button v-if="takes.sound" class="quiet self-start text-soft" @click="takes.useSound('')">Hear what was recorded instead</button>
  </section>
</template>
