<script setup lang="ts">
/** A wavetable on the Bench: what is in it, and how does it move? */
import { computed, onBeforeUnmount, onMounted, ref } from "vue";
import { useRouter } from "vue-router";

import ExportChoices from "../../controls/ExportChoices.vue";
import MenuButton from "../../controls/MenuButton.vue";
import MenuChoice from "../../controls/MenuChoice.vue";
import TableMap from "../../charts/TableMap.vue";
import { useShelf } from "../../stores/shelf";
import { useLive } from "../../stores/live";
import { useNotices } from "../../stores/notices";
import { useTable } from "../../stores/table";
import BenchHeader from "./BenchHeader.vue";
import EditsPanel from "./EditsPanel.vue";
import FramePanel from "./FramePanel.vue";
import { useKeeping } from "./keeping";
import KeepPanel from "./KeepPanel.vue";
import TakenFrom from "./TakenFrom.vue";
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
      <TakenFrom v-if="taken && original" :original="original" :by-hand="byHand" :heard="heard" @hear="hear" />
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
      <KeepPanel
        what="table"
        including="recipe"
        plays="moves through it"
        :disabled="!table.made || !!table.problem"
        @keep="keep"
        @grow="grow"
      />
    </aside>
  </div>
</template>
