<script setup lang="ts">
/** Beside an instrument: what is chosen of it, by how it is read. */
import { useInstrument } from "../../stores/instrument";
import { useMix } from "../../stores/mix";
import { useMovement } from "../../stores/movement";
import LayerPanel from "./LayerPanel.vue";
import EffectPanel from "./mix/EffectPanel.vue";
import MixHelp from "./mix/MixHelp.vue";
import StreamPanel from "./mix/StreamPanel.vue";
import ModulatorPanel from "./ModulatorPanel.vue";
import SnapshotPanel from "./snapshots/SnapshotPanel.vue";
import TargetPanel from "./TargetPanel.vue";

defineProps<{ way: "layers" | "mix" | "routes" | "grid" | "snapshots" }>();
const instrument = useInstrument();
const movement = useMovement();
const mix = useMix();
</script>

<template>
  <TargetPanel
    v-if="movement.chosen?.what === 'target'"
    :owner="movement.chosen.owner"
    :parameter-id="movement.chosen.parameter"
    :route-id="movement.chosen.route"
  />
  <ModulatorPanel v-else-if="movement.chosen?.what === 'modulator' && movement.modulator(movement.chosen.id)" :id="movement.chosen.id" />
  <EffectPanel v-else-if="way === 'mix' && mix.effect" :key="mix.effect.effect.id" />
  <StreamPanel v-else-if="way === 'mix' && mix.stream" :key="mix.stream.id" :stream="mix.stream" />
  <SnapshotPanel v-else-if="way === 'snapshots'" />
  <MixHelp v-else-if="way === 'mix'" />
  <LayerPanel v-else-if="instrument.layer" />
</template>
