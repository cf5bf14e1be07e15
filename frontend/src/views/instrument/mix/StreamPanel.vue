<script setup lang="ts">
/** The chosen stream: its level, where it goes, what it sends; of the whole, its ceiling and meters. */
import { computed } from "vue";

import { type Declared, type Value, word } from "../../../api/types";
import PetalMark from "../../../charts/PetalMark.vue";
import EditableName from "../../../controls/EditableName.vue";
import Segments from "../../../controls/Segments.vue";
import { useInstrument } from "../../../stores/instrument";
import { type Stream, useMix } from "../../../stores/mix";
import { useLiveMovement } from "../../../stores/movement";
import { WHOLE } from "../../../stores/owners";
import { useProject } from "../../../stores/project";
import SettingsGroup from "../SettingsGroup.vue";
import StreamMeters from "./StreamMeters.vue";

const props = defineProps<{ stream: Stream }>();
const instrument = useInstrument();
const mix = useMix();
const project = useProject();
useLiveMovement();

const MAIN = "main";
const buses = computed(() => instrument.document?.buses ?? []);
const isWhole = computed(() => props.stream.id === WHOLE);
const values = computed(() => instrument.owners.get(props.stream.id)?.values ?? {});
const declared = computed<Declared[]>(() => {
  const wanted = ["level", "pan", "effects", "ceiling"];
  const all = props.stream.layer
    ? (project.catalogue.kinds[props.stream.layer.kind] ?? [])
    : isWhole.value
      ? project.catalogue.whole
      : project.catalogue.buses;
  return all.filter(({ id, group }) => wanted.includes(id) && ["Output", "Bus"].includes(group));
});
const outputs = computed(() => [{ value: MAIN, word: "the whole" }, ...buses.value.map(({ id, name }) => ({ value: id, word: name }))]);
const sends = computed(() => props.stream.layer?.sends ?? []);
const sendable = computed(() =>
  buses.value.filter(({ id }) => id !== props.stream.layer?.output && sends.value.every(({ to }) => to !== id)),
);
const nameOf = (bus: string) => buses.value.find(({ id }) => id === bus)?.name ?? "";
const move = (owner: string, id: string, value: Value) => instrument.move(owner, id, value);
function rest(owner: string, id: string, value: Value, name: string): void {
  instrument.move(owner, id, value);
  instrument.rest(owner, { [id]: value }, `${props.stream.name} ${name}`.slice(0, 120));
}
const rename = (name: string) => instrument.edit("Rename", [{ op: "replace", path: `${props.stream.path}/name`, value: name }]);
async function remove(): Promise<void> {
  mix.chosen = null;
  await instrument.mix({ do: "remove bus", bus: props.stream.id });
}
</script>

<template>
  <aside
    class="flex w-[22rem] shrink-0 flex-col border-l border-hairline"
    aria-label="Stream"
    :style="{ '--petal': stream.petal ? `var(--${stream.petal})` : 'var(--ink-soft)' }"
  >
    <div class="flex items-baseline gap-2 px-4 pt-4 pb-2">
      <PetalMark v-if="stream.petal" class="self-center" :petal="stream.petal" />
      <h2 class="flex min-w-0 flex-1 truncate font-serif text-lg leading-tight">
        <EditableName v-if="stream.bus" :name="stream.name" what="shared stream" @rename="rename" />
        <template v-else>{{ stream.name }}</template>
      </h2>
      <button v-if="stream.bus" class="quiet text-soft" title="Streams that went there go to the whole" @click="remove">Remove</button>
    </div>
    <div class="flex min-h-0 flex-1 flex-col gap-3 overflow-y-auto px-4 pb-4">
      <SettingsGroup
        name="Level"
        :declared="declared"
        :values="values"
        :owner="stream.id"
        @move="(id, value) => move(stream.id, id, value)"
        @rest="(id, value, name) => rest(stream.id, id, value, name)"
      />
      <section v-if="stream.layer && word(stream.layer.settings, 'effects') !== 'past'" aria-label="Where it goes">
        <h3 class="heading mb-1">Where it goes</h3>
        <Segments
          tight
          label="Where it goes"
          :model-value="stream.layer.output"
          :options="outputs"
          @update:model-value="instrument.mix({ do: 'output', layer: stream.id, bus: $event })"
        />
        <div v-for="send in sends" :key="send.id" class="mt-2">
          <SettingsGroup
            :name="`Sent to ${nameOf(send.to)}`"
            :declared="project.catalogue.sends"
            :values="send.settings"
            :owner="send.id"
            @move="(id, value) => move(send.id, id, value)"
            @rest="(id, value, name) => rest(send.id, id, value, name)"
          />
          <button class="quiet -ml-1.5 text-soft" @click="instrument.mix({ do: 'remove send', send: send.id })">
            Send there no longer
          </button>
        </div>
        <p v-if="sendable.length" class="mt-2 flex flex-wrap items-baseline gap-1">
          <span class="text-soft">send to</span>
          <button
            v-for="bus in sendable"
            :key="bus.id"
            class="quiet text-focus"
            @click="instrument.mix({ do: 'send', layer: stream.id, bus: bus.id })"
          >
            {{ bus.name }}
          </button>
        </p>
        <p v-else-if="!buses.length" class="mt-2 text-soft">There is no shared stream yet: add one under the picture.</p>
      </section>
      <StreamMeters :stream="stream.id" />
    </div>
  </aside>
</template>
