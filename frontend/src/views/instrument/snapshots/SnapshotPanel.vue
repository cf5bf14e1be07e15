<script setup lang="ts">
/** All snapshots: taken, recalled at their moment, and worked on. */
import { computed, ref } from "vue";

import EditableName from "../../../controls/EditableName.vue";
import Segments from "../../../controls/Segments.vue";
import Rule from "../../../controls/Rule.vue";
import type { Parameter } from "../../../api/types";
import { useInstrument } from "../../../stores/instrument";
import { useLive } from "../../../stores/live";
import { useMovement } from "../../../stores/movement";
import { useProject } from "../../../stores/project";
import { type When, useSnapshots } from "../../../stores/snapshots";

const MOST_CHANGES = 5;
const MOST = 16;
const WHEN: { value: When; word: string; help: string }[] = [
  { value: "once", word: "at once", help: "The moment it is asked for" },
  { value: "beat", word: "on the beat", help: "When the next beat of the instrument's tempo comes" },
  { value: "bar", word: "on the bar", help: "When the next four beats begin" },
];

const snapshots = useSnapshots();
const instrument = useInstrument();
const live = useLive();
const movement = useMovement();
const project = useProject();
const other = ref("");

const rules = computed(() => project.catalogue.whole.filter((one): one is Parameter => one.group === "Map"));
const told = computed(() => (snapshots.chosen ? snapshots.about.get(snapshots.chosen.id) : undefined));
const others = computed(() => snapshots.all.filter(({ id }) => id !== snapshots.chosenId));
const due = computed(() => (live.state === "on" ? live.look.due : null));
const valueOf = (id: string) => 100 * snapshots.place[id === "map_across" ? 0 : 1];

function move(id: string, value: number): void {
  const [across, up] = snapshots.place;
  snapshots.stand(id === "map_across" ? [value / 100, up] : [across, value / 100]);
}

function rename(index: number, name: string): void {
  void instrument.edit("Rename a snapshot", [{ op: "replace", path: `/snapshots/${index}/name`, value: name }]);
}

async function roll(): Promise<void> {
  const [first, second] = [snapshots.chosenId, other.value || others.value[0]?.id];
  if (first && second) await instrument.shoot({ do: "roll", first, second, seed: Math.floor(Math.random() * 100_000) });
}
</script>

<template>
  <aside class="flex w-[22rem] shrink-0 flex-col border-l border-hairline" aria-label="Snapshots">
    <div class="flex items-baseline gap-2 px-4 pt-4 pb-2">
      <h2 class="min-w-0 flex-1 font-serif text-lg leading-tight">Snapshots</h2>
      <button
        class="quiet text-focus"
        :disabled="snapshots.all.length >= MOST"
        title="Keep how everything is set now, as a snapshot more"
        @click="snapshots.take()"
      >
        Take one
      </button>
    </div>
    <div class="flex min-h-0 flex-1 flex-col gap-3 overflow-y-auto px-4 pb-4">
      <template v-if="snapshots.all.length">
        <div class="flex items-baseline gap-2">
          <span class="text-soft">recall</span>
          <Segments v-model="snapshots.when" tight label="When a snapshot is recalled" :options="WHEN" />
        </div>
        <ol aria-label="All snapshots">
          <li
            v-for="(one, i) in snapshots.all"
            :key="one.id"
            class="border-b border-hairline"
            :class="{ 'bg-[var(--key-shade)]': one.id === snapshots.chosenId }"
          >
            <button
              class="flex w-full items-baseline gap-2 px-1 py-1.5 text-left"
              :title="i < 9 ? `Recall ${one.name} (Alt ${i + 1})` : `Recall ${one.name}`"
              :data-snapshot="one.name"
              :aria-current="one.id === snapshots.current"
              @click="snapshots.recall(one.id)"
            >
              <span class="w-5 shrink-0 text-right text-soft">{{ i + 1 }}</span>
              <span class="min-w-0 flex-1 truncate font-serif text-base">{{ one.name }}</span>
              <span class="shrink-0 text-xs" :class="due === one.id ? 'text-focus' : 'text-soft'">{{
                due === one.id ? "waiting" : one.id === snapshots.current ? "now" : one.place ? "" : "not on the map"
              }}</span>
            </button>
          </li>
        </ol>
        <button
          v-if="snapshots.placed.length < snapshots.all.length"
          class="quiet -ml-1.5 self-start text-focus"
          title="Each where there is room; drag it elsewhere afterwards"
          @click="snapshots.putAll()"
        >
          {{ snapshots.placed.length ? "Put the rest on the map" : "Put all on the map" }}
        </button>
      </template>
      <p v-else class="text-soft">There is none yet.</p>
      <section v-if="snapshots.chosen" :aria-label="`Snapshot ${snapshots.chosen.name}`">
        <h3 class="heading mb-1">
          <EditableName :name="snapshots.chosen.name" what="snapshot" @rename="rename(snapshots.all.indexOf(snapshots.chosen!), $event)" />
        </h3>
        <template v-if="told?.changes.length">
          <p class="text-soft">{{ told.changes.length === 1 ? "1 setting is" : `${told.changes.length} settings are` }} otherwise now:</p>
          <p v-for="one in told.changes.slice(0, MOST_CHANGES)" :key="one" class="truncate" :title="one">{{ one }}</p>
          <p v-if="told.changes.length > MOST_CHANGES" class="text-soft">and {{ told.changes.length - MOST_CHANGES }} more</p>
        </template>
        <p v-else-if="told" class="text-soft">Everything is set as it says.</p>
        <p v-if="told?.left_out" class="text-warn">
          {{ told.left_out === 1 ? "1 of its settings belongs" : `${told.left_out} of its settings belong` }} to what is gone.
        </p>
        <div class="mt-1 -ml-1.5 flex flex-wrap">
          <template v-if="told?.changes.length">
            <button
              class="quiet text-focus"
              title="It keeps how everything is set now"
              @click="instrument.shoot({ do: 'replace snapshot', snapshot: snapshots.chosen.id })"
            >
              Replace it
            </button>
            <button
              class="quiet text-focus"
              title="What is otherwise now is so in every snapshot"
              @click="instrument.shoot({ do: 'say of all', snapshot: snapshots.chosen.id })"
            >
              Say of all
            </button>
          </template>
          <button class="quiet text-focus" @click="snapshots.put(snapshots.chosen.id, snapshots.chosen.place ? null : 'free')">
            {{ snapshots.chosen.place ? "Take off the map" : "Put on the map" }}
          </button>
          <button class="quiet text-soft" @click="instrument.shoot({ do: 'remove snapshot', snapshot: snapshots.chosen.id })">
            Remove
          </button>
        </div>
        <p v-if="others.length" class="mt-2 flex items-baseline gap-1.5">
          <label class="flex min-w-0 flex-1 items-baseline gap-1.5">
            <span class="shrink-0 text-soft">between it and</span>
            <select v-model="other" class="field min-w-0 flex-1">
              <option v-if="!other" value="" hidden>{{ others[0]?.name }}</option>
              <option v-for="one in others" :key="one.id" :value="one.id">{{ one.name }}</option>
            </select>
          </label>
          <button
            class="quiet text-focus"
            :disabled="snapshots.all.length >= MOST"
            title="A snapshot more, each setting drawn somewhere between the two"
            @click="roll"
          >
            Roll one
          </button>
        </p>
      </section>
      <section v-if="snapshots.placed.length > 1" aria-label="Where on the map">
        <h3 class="heading mb-1">Where on the map</h3>
        <Rule
          v-for="one in rules"
          :key="one.id"
          :parameter="one"
          :value="valueOf(one.id)"
          @move="move(one.id, $event)"
          @rest="(move(one.id, $event), snapshots.rest())"
          @ask="movement.ask('instrument', one.id)"
        />
        <p class="mt-1 text-xs text-soft">Routes can move both, and both can move anything: a slow LFO wanders between the snapshots.</p>
      </section>
    </div>
  </aside>
</template>
