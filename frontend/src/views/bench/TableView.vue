<script setup lang="ts">
/** A wavetable on the Bench: what is in it, and how does it move? */
import { computed, onBeforeUnmount, onMounted, ref } from "vue";
import { useRouter } from "vue-router";

import ExportChoices from "../../controls/ExportChoices.vue";
import MenuButton from "../../controls/MenuButton.vue";
import MenuChoice from "../../controls/MenuChoice.vue";
import TableMap from "../../charts/TableMap.vue";
import Waveform from "../../charts/Waveform.vue";
import { useShelf } from "../../stores/shelf";
import { useLive } from "../../stores/live";
import { useNotices } from "../../stores/notices";
import { useTable } from "../../stores/table";
import BenchHeader from "./BenchHeader.vue";
import EditsPanel from "./EditsPanel.vue";
import FramePanel from "./FramePanel.vue";
import { useKeeping } from "./keeping";
import TakenPanel from "./TakenPanel.vue";
import WavesPanel from "./WavesPanel.vue";
import WorkState from "./WorkState.vue";

const props = defineProps<{ id: number }>();
const router = useRouter();
const table = useTable();
const shelf = useShelf();
const live = useLive();
const file = ref<HTMLInputElement>();

const kind = computed(() => table.source?.kind);
const recorded = computed(() => (table.source?.kind === "recording" ? table.source : null));
const taken = computed(() => recorded.value?.sound ?? null);
const cycles = computed(() => (table.source?.kind === "cycles" ? table.source.sounds.map(({ name }) => name).join(", ") : ""));
const original = computed(() => shelf.byDigest.get(taken.value?.recording ?? ""));
const total = computed(() => original.value?.duration_s ?? 0);
const marks = computed(() => (total.value ? (table.made?.seconds ?? []).map((at) => at / total.value) : []));
const byHand = computed(() => recorded.value?.spread === "hand");
const subtitle = computed(() => {
  const made = table.made;
  if (!made) return "";
  const how =
    { cycles: "by its own cycles", spectra: "by its spectrum", stretches: "by stretches", waves: "built from waves" }[made.by] ??
    "from cycles at hand";
  const back = made.retraced
    ? `, retraces within ${made.retraced.timbre_db.toFixed(1)} dB of timbre, ${made.retraced.level_db.toFixed(1)} dB of level`
    : "";
  return `${made.frames} ${made.frames === 1 ? "frame" : "frames"} ${how}${back}`;
});
const heard = computed(() =>
  live.listeningTo === taken.value?.recording ? "original" : live.listeningTo === table.made?.swept && table.made?.swept ? "swept" : null,
);
const playhead = computed(() => (heard.value && total.value && live.look.listening !== null ? live.look.listening / total.value : null));

onMounted(async () => {
  if (!(await table.open(props.id))) await router.replace("/field");
});
onBeforeUnmount(() => {
  live.hush();
  table.leave();
});

function hear(what: "original" | "swept", at = 0): void {
  if (heard.value === what && at === 0) return live.hush();
  const key = what === "original" ? taken.value?.recording : table.made?.swept;
  if (key) live.listen(key, at);
}

/** A click on the recording: a place to take a frame from, or from where to listen. */
function clicked(event: MouseEvent): void {
  const box = (event.currentTarget as HTMLElement).getBoundingClientRect();
  const at = Math.round(1e4 * ((event.clientX - box.left) / box.width) * total.value) / 1e4;
  if (!byHand.value) return hear("original", at);
  const near = (6 / box.width) * total.value;
  void table.edit("Places", ({ source }) => {
    if (source.kind !== "recording") return;
    const { places } = source;
    const left = places.filter((one) => Math.abs(one - at) > near);
    source.places = left.length < places.length ? left : [...places, at].sort((a, b) => a - b);
  });
}

function rename(name: string): void {
  void table.edit("Rename", (document) => (document.name = name));
}

const { keep, grow } = useKeeping({
  name: () => table.document!.name,
  keep: table.keep,
  back: table.back,
  isOpen: () => table.recording !== null,
  listen: () => taken.value && hear("original"),
  sweep: () => taken.value && hear("swept"),
});

async function read(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement;
  const [given] = input.files ?? [];
  input.value = "";
  if (!given) return;
  try {
    const found = JSON.parse(await given.text());
    await table.edit("Open a recipe", (document) => Object.assign(document, found));
  } catch {
    useNotices().complain(`'${given.name}' is no wavetable recipe: choose a file that was saved here.`);
  }
}
</script>

<template>
  <div v-if="table.recording && table.document" class="flex h-full">
    <section class="flex min-w-0 flex-1 flex-col px-6 pt-3 pb-3" aria-label="Wavetable">
      <BenchHeader :name="table.document.name" what="wavetable" :subtitle="subtitle" :revised="table" @rename="rename">
        <MenuButton word="File">
          <ExportChoices v-if="id" of="wavetable" :id="id" />
          <MenuChoice @click="file?.click()">Open a recipe</MenuChoice>
          <MenuChoice
            :disabled="table.chosen < 1"
            title="What comes before stays here; the rest goes on the shelf as a table of its own"
            @click="table.split()"
            >Split before frame {{ table.chosen + 1 }}</MenuChoice
          >
        </MenuButton>
        <input
          ref="file"
          type="file"
          accept=".json"
          hidden
          aria-label="Wavetable recipe to open"
          data-testid="table-recipe"
          @change="read"
        />
      </BenchHeader>
      <div v-if="taken && original" class="mt-2 flex items-center gap-3">
        <button
          class="relative h-12 min-w-0 flex-1 border border-hairline bg-sheet"
          :class="byHand ? 'cursor-crosshair' : 'cursor-text'"
          :aria-label="byHand ? 'Places to take frames from' : `Listen to ${original.name} from here`"
          :title="byHand ? 'Click to add a place, or to take one away' : 'Click to listen from there; lines are where frames are taken'"
          data-testid="taken-from"
          @click="clicked"
        >
          <Waveform :digest="original.digest" colour="wave" />
          <i
            v-for="(at, i) in marks"
            :key="i"
            class="pointer-events-none absolute inset-y-0 w-px"
            :class="i === table.chosen ? 'bg-ink' : 'bg-[color-mix(in_srgb,var(--lichen)_60%,transparent)]'"
            :style="{ left: `${100 * at}%` }"
          />
          <i
            v-if="playhead !== null"
            class="pointer-events-none absolute inset-y-0 w-0.5 bg-[var(--madder)]"
            :style="{ left: `${100 * playhead}%` }"
          />
        </button>
        <span class="flex shrink-0 flex-col">
          <button class="quiet text-left" :class="{ 'font-semibold': heard === 'original' }" title="Enter" @click="hear('original')">
            {{ heard === "original" ? "Stop" : "Hear the recording" }}
          </button>
          <button
            class="quiet text-left"
            :class="{ 'font-semibold': heard === 'swept' }"
            :disabled="!table.made?.swept"
            title="The frames before any edit, swept as fast and as high as the recording went (Shift Enter)"
            @click="hear('swept')"
          >
            {{ heard === "swept" ? "Stop" : "Hear the table swept" }}
          </button>
        </span>
      </div>
      <div class="relative mt-2 min-h-32 flex-1 border border-hairline bg-sheet">
        <TableMap
          v-if="table.picture"
          :ink="table.picture.ink"
          :frames="table.picture.frames"
          :columns="table.picture.columns"
          :place="table.place"
          label="Position in the table"
          @scrub="table.scrub"
        />
        <WorkState :problem="table.problem" :working="table.working" word="taking frames" label="Taking frames" :alone="!table.picture" />
      </div>
      <FramePanel class="mt-2 h-40 shrink-0" />
      <p class="mt-1.5 text-soft">Play below: up and down on the surface, or the mod wheel, moves through the table.</p>
    </section>
    <aside class="flex w-[21rem] shrink-0 flex-col border-l border-hairline" aria-label="How the wavetable is made">
      <div class="flex min-h-0 flex-1 flex-col gap-4 overflow-x-hidden overflow-y-auto px-5 py-3">
        <TakenPanel v-if="kind === 'recording'" />
        <WavesPanel v-else-if="kind === 'waves'" />
        <section v-else aria-label="Cycles">
          <h2 class="font-serif text-lg">From cycles at hand</h2>
          <p class="text-soft">{{ cycles }}</p>
        </section>
        <EditsPanel />
      </div>
      <div class="flex shrink-0 flex-col gap-2 border-t border-hairline px-5 pt-2 pb-3">
        <button
          class="action-main py-2"
          :disabled="!table.made || !!table.problem"
          title="Put the table as it is now on the shelf, with its recipe"
          @click="keep"
        >
          Keep on the shelf
        </button>
        <button
          class="action py-1.5"
          :disabled="!table.made || !!table.problem"
          title="Keeps it, and makes an instrument that moves through it"
          @click="grow"
        >
          Grow an instrument from it
        </button>
      </div>
    </aside>
  </div>
</template>
