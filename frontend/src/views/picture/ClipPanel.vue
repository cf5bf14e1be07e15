<script setup lang="ts">
/** The clip that is chosen: its level, its fades, and what can be done with it. */
import { computed } from "vue";

import type { Declared, Settings, TimelineClip, Value } from "../../api/types";
import { useProject } from "../../stores/project";
import { useTimeline } from "../../stores/timeline";
import SettingsGroup from "../instrument/SettingsGroup.vue";

const props = defineProps<{ clip: TimelineClip }>();
const timeline = useTimeline();
const project = useProject();
const declared = computed<Declared[]>(() => project.catalogue.clips);
const values = computed<Settings>(() =>
  Object.fromEntries(declared.value.map(({ id }) => [id, props.clip[id as keyof TimelineClip] as Value])),
);
const path = computed(() => timeline.pathOf(props.clip.id));
const move = (id: string, value: Value) => timeline.drag(`${path.value}/${id}`, value);
const rest = (id: string, value: Value, name: string) => void timeline.edit(name, [{ op: "replace", path: `${path.value}/${id}`, value }]);
</script>

<template>
  <section class="border-b border-hairline px-4 pt-3 pb-3" aria-label="The chosen clip" :style="{ '--petal': 'var(--ochre)' }">
    <p class="mb-1 flex items-baseline gap-1">
      <span class="min-w-0 flex-1 truncate font-serif text-lg">{{ clip.name }}</span>
      <button
        class="quiet"
        title="Cut it at the playhead (S)"
        @click="timeline.act({ do: 'split clip', clip: clip.id, frame: timeline.head })"
      >
        Split
      </button>
      <button class="quiet" title="Once more, right after (D)" @click="timeline.act({ do: 'duplicate clip', clip: clip.id })">
        Repeat
      </button>
      <button class="quiet" title="Take it out (Delete)" @click="timeline.act({ do: 'remove clip', clip: clip.id })">Remove</button>
    </p>
    <SettingsGroup name="Clip" :declared="declared" :values="values" @move="move" @rest="rest" />
    <p class="mt-1 text-xs text-soft">A click on the line over it draws its level.</p>
  </section>
</template>
