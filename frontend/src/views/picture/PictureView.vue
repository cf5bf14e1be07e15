<script setup lang="ts">
/** Deliver to a picture: what sounds when, and is it right? */
import { useElementSize, useLocalStorage, useScroll } from "@vueuse/core";
import { computed, nextTick, ref, watch } from "vue";
import { useRouter } from "vue-router";

import { useAddressed } from "../../composables/addressed";
import EditableName from "../../controls/EditableName.vue";
import ExportChoices from "../../controls/ExportChoices.vue";
import MenuButton from "../../controls/MenuButton.vue";
import MenuChoice from "../../controls/MenuChoice.vue";
import UndoRedo from "../../controls/UndoRedo.vue";
import ViewHelp from "../../frame/ViewHelp.vue";
import { useShortcuts } from "../../frame/shortcuts";
import { useDeliver } from "../../stores/deliver";
import { useTimeline } from "../../stores/timeline";
import DeliverWays from "../deliver/DeliverWays.vue";
import ClipPanel from "./ClipPanel.vue";
import ClockPanel from "./ClockPanel.vue";
import FilmScreen from "./FilmScreen.vue";
import LaneRow from "./LaneRow.vue";
import PictureTransport from "./PictureTransport.vue";
import PlaceDialog from "./PlaceDialog.vue";
import { provideScale } from "./scale";
import ScenePanel from "./ScenePanel.vue";
import StemsPanel from "./StemsPanel.vue";
import TimelineRuler from "./TimelineRuler.vue";

const HEAD_PX = 128;
const LANE_PX = 58;
const router = useRouter();
const timeline = useTimeline();
const deliver = useDeliver();
deliver.way = "picture";

const doc = computed(() => timeline.document);
const scroller = ref<HTMLElement>();
const screen = ref<InstanceType<typeof FilmScreen>>();
const list = ref<HTMLInputElement>();
const placing = ref(false);
const lane = ref<string | null>(null);
const closer = useLocalStorage("bloom-picture-closer", 0);
const { width } = useElementSize(scroller);
const { x: scrolled } = useScroll(scroller);
const frames = computed(() => doc.value?.frames ?? 1);
const track = computed(() => Math.max(100, width.value - HEAD_PX - 2) * 1.6 ** closer.value);
const pixels = computed(() => track.value / frames.value);
provideScale(pixels);
const view = computed(() => ({ from: scrolled.value / pixels.value, to: (scrolled.value + width.value) / pixels.value }));
const headX = computed(() => HEAD_PX + (timeline.head + 0.5) * pixels.value);

useAddressed("picture", "/deliver/picture", timeline);

/** What is heard or looked at stays in view. */
watch([() => timeline.head, closer], async () => {
  await nextTick();
  const element = scroller.value;
  if (!element || closer.value === 0) return;
  const inside = headX.value - element.scrollLeft;
  if (inside > element.clientWidth - 24 || inside < HEAD_PX) element.scrollLeft = headX.value - HEAD_PX - 40;
});

const rename = (name: string) => timeline.edit("Rename", [{ op: "replace", path: "/name", value: name }]);

async function begin(): Promise<void> {
  const id = await timeline.create();
  if (id !== null) await router.push(`/deliver/picture/${id}`);
}

async function remove(): Promise<void> {
  await timeline.remove((id) => void router.push(`/deliver/picture/${id}`));
  await router.push("/deliver/picture");
}

function place(on: string | null): void {
  lane.value = on;
  placing.value = true;
}

async function readList(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement;
  const file = input.files?.[0];
  input.value = "";
  if (file) await timeline.readScenes(file);
}

const toggle = () => (timeline.playing ? timeline.stop() : timeline.play());
const bySecond = () => timeline.frameAt(1);
useShortcuts({
  undo: () => timeline.step("undo"),
  redo: () => timeline.step("redo"),
  play: toggle,
  frameOn: () => timeline.goTo(timeline.head + 1),
  frameBack: () => timeline.goTo(timeline.head - 1),
  secondOn: () => timeline.goTo(timeline.head + bySecond()),
  secondBack: () => timeline.goTo(timeline.head - bySecond()),
});
</script>

<template>
  <div class="flex h-full">
    <section class="flex min-w-0 flex-1 flex-col px-6 pt-4 pb-2" aria-label="Deliver">
      <div class="flex items-center gap-1">
        <h1 class="flex min-w-0 font-serif text-xl leading-tight">
          <EditableName v-if="doc" :name="doc.name" what="timeline" @rename="rename" />
          <template v-else>Deliver</template>
        </h1>
        <ViewHelp />
        <ClockPanel v-if="doc" class="ml-1" />
        <span class="flex-1 text-sm text-soft">{{ timeline.saving ? "saving" : "" }}</span>
        <DeliverWays way="picture" />
        <UndoRedo v-if="doc" :undo="timeline.undoLabel" :redo="timeline.redoLabel" @step="timeline.step" />
        <MenuButton word="More" label="More of timelines" width="w-60" items-class="max-h-80" @open="timeline.list()">
          <MenuChoice v-if="doc" @click="screen?.pick()">{{ doc.film ? "Another film" : "Add a film" }}</MenuChoice>
          <MenuChoice v-if="doc?.film" @click="timeline.act({ do: 'remove film' })">Remove the film</MenuChoice>
          <MenuChoice v-if="doc" @click="list?.click()">Read scenes from a list</MenuChoice>
          <ExportChoices v-if="timeline.id" of="timeline" :id="timeline.id" />
          <MenuChoice v-if="doc" @click="remove">Delete this timeline</MenuChoice>
          <MenuChoice @click="begin">New timeline</MenuChoice>
          <MenuChoice
            v-for="one in timeline.lines.filter(({ id }) => id !== timeline.id)"
            :key="one.id"
            @click="router.push(`/deliver/picture/${one.id}`)"
          >
            {{ one.name }}
          </MenuChoice>
        </MenuButton>
        <input ref="list" class="hidden" type="file" accept=".csv,.txt,.edl,.otio" aria-label="A list of scenes" @change="readList" />
      </div>
      <template v-if="doc">
        <div class="mt-2 flex h-[34%] max-h-[19rem] min-h-[11rem] shrink-0 gap-5">
          <FilmScreen ref="screen" class="aspect-video h-full max-w-[56%] shrink-0" />
          <ScenePanel class="flex-1" />
        </div>
        <PictureTransport v-model:closer="closer" @toggle="toggle" />
        <div ref="scroller" class="relative mt-1 min-h-0 flex-1 overflow-auto" data-testid="lanes">
          <div class="relative" :style="{ width: `${HEAD_PX + track}px` }">
            <div class="sticky top-0 z-10 flex bg-paper">
              <span class="sticky left-0 z-10 shrink-0 bg-paper" :style="{ width: `${HEAD_PX}px` }" />
              <TimelineRuler :from="view.from" :to="view.to" :width="track" />
            </div>
            <LaneRow v-for="(one, i) in doc.lanes" :key="one.id" :lane="one" :index="i" :width="track" :lane-px="LANE_PX" @place="place" />
            <div v-if="!doc.lanes.length" class="py-8 text-center" :style="{ width: `${Math.min(width, HEAD_PX + track)}px` }">
              <p class="text-soft">No sound has been placed yet: each lane becomes a stem.</p>
              <button class="action mt-3" @click="place(null)">Place a sound</button>
            </div>
            <i class="head" :style="{ left: `${headX}px` }" aria-hidden="true" />
          </div>
        </div>
        <div class="flex items-baseline gap-3 pt-1.5">
          <button class="quiet -ml-1.5 text-focus" @click="timeline.act({ do: 'add lane' })">+ Lane</button>
          <button v-if="doc.lanes.length" class="quiet text-focus" @click="place(null)">Place a sound</button>
          <span class="truncate font-serif text-sm text-soft italic">it lands on the frame at the playhead</span>
        </div>
      </template>
      <div v-else-if="timeline.listed" class="mt-[8vh] max-w-md text-base">
        <p>A film needs its sounds on the frame, at one loudness, as stems that other programs open where they belong.</p>
        <p class="mt-2 text-soft">Begin with a film or a list of scenes; sounds come from the shelf and from takes.</p>
        <button class="action-main mt-4 text-sm" @click="begin">New timeline</button>
      </div>
    </section>
    <aside v-if="doc" class="flex w-[21rem] shrink-0 flex-col border-l border-hairline" aria-label="Hand over">
      <ClipPanel v-if="timeline.chosen" :key="timeline.chosen.id" :clip="timeline.chosen" />
      <StemsPanel />
    </aside>
    <PlaceDialog :open="placing" :lane="lane" @close="placing = false" />
  </div>
</template>

<style scoped>
.head {
  position: absolute;
  top: 0;
  bottom: 0;
  z-index: 5;
  width: 1.5px;
  background: var(--madder);
  pointer-events: none;
}
</style>
