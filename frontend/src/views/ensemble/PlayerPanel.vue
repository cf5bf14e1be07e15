<script setup lang="ts">
/** The chosen player: its instrument, its sound, what it answers to, its phrase; and what holds for all. */
import { useLocalStorage } from "@vueuse/core";
import { computed } from "vue";

import { type Declared, isChoice, type Settings, type Value, word } from "../../api/types";
import PetalMark from "../../charts/PetalMark.vue";
import MenuButton from "../../controls/MenuButton.vue";
import MenuChoice from "../../controls/MenuChoice.vue";
import { ENSEMBLE, useEnsemble } from "../../stores/ensemble";
import { useInstrument } from "../../stores/instrument";
import { useLive } from "../../stores/live";
import { useProject } from "../../stores/project";
import SettingsGroup from "../instrument/SettingsGroup.vue";

const ensemble = useEnsemble();
const instrument = useInstrument();
const live = useLive();
const project = useProject();

const player = computed(() => ensemble.chosen);
const gone = computed(() => player.value !== null && ensemble.gone.includes(player.value.id));
const seen = computed(() => (live.playsEnsemble && player.value ? live.look.players[player.value.id] : undefined));
const groups = computed(() => grouped(project.catalogue.players));
const pattern = computed(() => word((player.value?.phrase ?? {}) as Settings, "pattern"));
const patterned = computed(() => pattern.value !== "off");
/** The play strip's face. */
const face = useLocalStorage("bloom-strip-face", "surface");

function grouped(declared: Declared[]): { name: string; declared: Declared[] }[] {
  const names = [...new Set(declared.map(({ group }) => group))];
  return names.map((name) => ({ name, declared: declared.filter(({ group }) => group === name) }));
}

function rest(id: string, value: Value, name: string): void {
  if (player.value) ensemble.rest(player.value.id, { [id]: value }, `${player.value.name} ${name}`.slice(0, 120));
}

/** An end of a range never passes the other. */
function move(id: string, value: Value): void {
  if (player.value) ensemble.move(player.value.id, id, value);
}

const hasRules = (declared: Declared[]) => declared.some((one) => !isChoice(one));
</script>

<template>
  <aside
    class="flex w-[22rem] shrink-0 flex-col border-l border-hairline"
    aria-label="Player"
    :style="{ '--petal': player ? `var(--${player.petal})` : 'var(--ink-soft)' }"
  >
    <div class="flex items-baseline gap-2 px-4 pt-4 pb-2">
      <PetalMark v-if="player" class="self-center" :petal="player.petal" />
      <h2 class="min-w-0 flex-1 truncate font-serif text-lg leading-tight" :title="player?.name">{{ player?.name ?? "Players" }}</h2>
      <button v-if="player" class="quiet text-soft" @click="ensemble.act({ do: 'remove player', player: player.id })">Remove</button>
    </div>
    <div class="flex min-h-0 flex-1 flex-col gap-3 overflow-y-auto px-4 pb-4">
      <template v-if="player">
        <p v-if="gone" class="border-l-4 border-bad pl-2">
          Its instrument was deleted: restore it, or let another one take its place. The others play on.
        </p>
        <div class="-ml-1.5 flex flex-wrap items-baseline">
          <RouterLink v-if="!gone && player.instrument !== null" class="quiet text-focus" :to="`/instrument/${player.instrument}`"
            >Open the instrument</RouterLink
          >
          <MenuButton word="Replace" button-class="quiet text-focus" align="left" width="w-64" items-class="max-h-80">
            <MenuChoice
              v-for="one in instrument.lines"
              :key="one.id"
              @click="ensemble.act({ do: 'replace player', player: player.id, instrument: one.id })"
              >{{ one.name }}</MenuChoice
            >
          </MenuButton>
          <span v-if="seen" class="ml-auto text-soft" title="Share of one processor core, and voices that sound now"
            >{{ Math.round(100 * seen.load) }} % of a core, {{ seen.voices }} {{ seen.voices === 1 ? "voice" : "voices" }}</span
          >
        </div>
        <SettingsGroup
          v-for="group in groups"
          :key="group.name"
          :name="group.name"
          :declared="group.declared"
          :values="player.settings as Settings"
          @move="move"
          @rest="rest"
        />
        <section aria-label="Phrase">
          <h3 class="heading mb-1">Phrase</h3>
          <p class="flex items-baseline gap-2">
            <span class="min-w-0 flex-1">{{ patterned ? `Chords become a pattern: ${pattern}` : "Keys sound as they are struck." }}</span>
            <button v-if="face !== 'phrase'" class="quiet text-focus" @click="face = 'phrase'">Shape it in the strip</button>
          </p>
        </section>
      </template>
      <p v-else class="text-soft">Choose a player in the picture.</p>
      <SettingsGroup
        v-if="ensemble.document && hasRules(project.catalogue.ensemble)"
        name="The whole ensemble"
        :declared="project.catalogue.ensemble"
        :values="ensemble.document.settings as Settings"
        @move="(id, value) => ensemble.move(ENSEMBLE, id, value)"
        @rest="(id, value, name) => ensemble.rest(ENSEMBLE, { [id]: value }, name)"
      />
    </div>
  </aside>
</template>
