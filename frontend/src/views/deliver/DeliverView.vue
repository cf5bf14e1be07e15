<script setup lang="ts">
/** Deliver: what is handed over to a game, and is it right? */
import { computed, ref } from "vue";
import { useRouter } from "vue-router";

import { useAddressed } from "../../composables/addressed";
import EditableName from "../../controls/EditableName.vue";
import MenuButton from "../../controls/MenuButton.vue";
import MenuChoice from "../../controls/MenuChoice.vue";
import UndoRedo from "../../controls/UndoRedo.vue";
import ViewHelp from "../../frame/ViewHelp.vue";
import { useShortcuts } from "../../frame/shortcuts";
import { useDeliver } from "../../stores/deliver";
import { useInstrument } from "../../stores/instrument";
import { isActive, useJobs } from "../../stores/jobs";
import { useTakes } from "../../stores/takes";
import { useVariations } from "../../stores/variations";
import { seconds } from "../../theme/words";
import DeliverWays from "./DeliverWays.vue";
import HandOverPanel from "./HandOverPanel.vue";
import VariationList from "./VariationList.vue";

const router = useRouter();
const variations = useVariations();
const instrument = useInstrument();
const jobs = useJobs();
const takes = useTakes();
const all = ref(false);
useDeliver().way = "game";

const doc = computed(() => variations.document);
const layered = computed(() => (instrument.document?.snapshots.length ?? 0) > 1);
const drawing = computed(() => (isActive(variations.drawing) ? variations.drawing : null));
const words = computed(() => {
  const told = variations.told;
  if (!doc.value) return "";
  if (!told?.drawn.length) return `of ${doc.value.instrument_name}`;
  return `${told.kept} of ${told.drawn.length} drawn of ${doc.value.instrument_name}, ${seconds(told.seconds)} in all`;
});

useAddressed("deliver", "/deliver", variations);

const rename = (name: string) => variations.edit("Rename", [{ op: "replace", path: "/name", value: name }]);

async function begin(of: { instrument?: number; take?: number; layers?: boolean }): Promise<void> {
  const id = await variations.create(of);
  if (id !== null) await router.push(`/deliver/${id}`);
}

async function remove(): Promise<void> {
  await variations.remove((id) => void router.push(`/deliver/${id}`));
  await router.push("/deliver");
}

useShortcuts({ undo: () => variations.step("undo"), redo: () => variations.step("redo") });
</script>

<template>
  <div class="flex h-full">
    <section class="flex min-w-0 flex-1 flex-col px-6 pt-4 pb-3" aria-label="Deliver">
      <div class="flex items-center gap-1 max-xl:flex-wrap">
        <h1 class="flex min-w-0 flex-1 font-serif text-xl leading-tight max-xl:basis-full">
          <EditableName v-if="doc" :name="doc.name" what="set of variations" @rename="rename" />
          <template v-else>Deliver</template>
        </h1>
        <ViewHelp />
        <DeliverWays way="game" />
        <UndoRedo v-if="doc" :undo="variations.undoLabel" :redo="variations.redoLabel" @step="variations.step" />
        <MenuButton word="Sets" width="w-72" items-class="max-h-80" @open="variations.list()">
          <MenuChoice v-for="one in variations.lines" :key="one.id" @click="router.push(`/deliver/${one.id}`)">{{ one.name }}</MenuChoice>
          <p v-if="!variations.lines.length" class="px-3 py-1 text-soft">There is none yet.</p>
        </MenuButton>
        <MenuButton word="New set" width="w-80" items-class="max-h-96" @open="takes.list()">
          <MenuChoice v-if="layered" @click="begin({ instrument: instrument.id!, layers: true })">
            Intensity layers of {{ instrument.document!.name }}
          </MenuChoice>
          <MenuChoice v-for="one in instrument.lines" :key="one.id" @click="begin({ instrument: one.id })">{{ one.name }}</MenuChoice>
          <p v-if="takes.lines.length" class="heading px-3 pt-2">Takes</p>
          <MenuChoice v-for="one in takes.lines" :key="`take ${one.id}`" @click="begin({ take: one.id })">{{ one.name }}</MenuChoice>
        </MenuButton>
        <MenuButton v-if="doc" word="More" width="w-40"><MenuChoice @click="remove">Delete</MenuChoice></MenuButton>
        <button
          v-if="doc && variations.drawn.length"
          class="action ml-2"
          :disabled="drawing !== null"
          title="All that may vary is drawn anew"
          @click="variations.draw()"
        >
          Draw again
        </button>
      </div>
      <p v-if="doc" class="mt-1 py-1 font-serif text-base text-soft italic">
        {{ words }}<span v-if="variations.saving" class="font-sans text-sm not-italic">, saving</span>
      </p>
      <div v-if="drawing" class="mt-2 flex items-center gap-3" role="status">
        <progress class="h-1.5 flex-1" :value="drawing.progress" max="1" aria-label="Drawing" />
        <button class="quiet font-medium" @click="jobs.cancel(drawing.id)">Cancel</button>
      </div>
      <VariationList v-if="doc && variations.drawn.length" class="mt-2 min-h-0 flex-1" :all="all" />
      <div v-else-if="doc && !drawing" class="mt-[8vh] max-w-md flex-1 text-base">
        <p>Nothing has been drawn yet.</p>
        <p class="mt-2 text-soft">
          Say at the right what may vary and how many are wanted, then draw: those that are most unlike one another are kept.
        </p>
        <button class="action-main mt-4 text-sm" @click="variations.draw()">Draw {{ doc.settings.drawn }}</button>
      </div>
      <div v-else-if="!doc" class="mt-[8vh] max-w-md text-base">
        <p>A game needs many variations of one effect, seamless loops, even loudness and sensible names.</p>
        <p v-if="instrument.lines.length" class="mt-2 text-soft">Choose the instrument that they are drawn from:</p>
        <p v-else class="mt-2 text-soft">There is no instrument yet: grow one in Field.</p>
        <button
          v-if="instrument.document && instrument.id !== null"
          class="action-main mt-4 text-sm"
          @click="begin({ instrument: instrument.id })"
        >
          Variations of {{ instrument.document.name }}
        </button>
      </div>
      <p v-if="variations.drawn.length" class="mt-2 flex items-baseline gap-3 border-t border-hairline pt-1.5">
        <button class="quiet -ml-1.5 text-focus" :aria-pressed="all" @click="all = !all">
          {{ all ? "Show only those kept" : "Show all that were drawn" }}
        </button>
        <span class="text-soft">the two kept that are most alike are {{ variations.told?.least.toFixed(2) }} apart</span>
      </p>
    </section>
    <HandOverPanel v-if="doc" />
  </div>
</template>
