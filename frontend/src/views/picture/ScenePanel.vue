<script setup lang="ts">
/** The scene that is looked at: what the audience should feel, and what sounds in it. */
import { computed, ref, watch } from "vue";

import EditableName from "../../controls/EditableName.vue";
import { useTimeline } from "../../stores/timeline";
import { laneColour } from "./laneColour";

const timeline = useTimeline();
const scenes = computed(() => timeline.document?.scenes ?? []);
const at = computed(() => scenes.value.findLastIndex(({ start }) => start <= timeline.head));
const scene = computed(() => scenes.value[at.value] ?? null);
const end = computed(() => scenes.value[at.value + 1]?.start ?? timeline.document?.frames ?? 0);
const sounds = computed(() => {
  const start = scene.value?.start ?? 0;
  return (timeline.document?.lanes ?? []).flatMap((lane, i) =>
    lane.clips
      .filter((clip) => clip.start < end.value && clip.start + timeline.frameAt(clip.seconds) > start)
      .map((clip) => ({ clip, lane: lane.name, colour: laneColour(i) })),
  );
});

const feel = ref("");
watch([() => scene.value?.id, () => scene.value?.feel], () => (feel.value = scene.value?.feel ?? ""), { immediate: true });
const set = (label: string, field: string, value: string) =>
  void timeline.edit(label, [{ op: "replace", path: `/scenes/${at.value}/${field}`, value }]);
</script>

<template>
  <section class="flex min-w-0 flex-col" aria-label="Scene">
    <template v-if="scene">
      <p class="flex items-baseline gap-1 font-serif text-lg">
        <span class="shrink-0">Scene {{ at + 1 }}:</span>
        <EditableName :name="scene.name" what="scene" @rename="set('Rename a scene', 'name', $event)" />
      </p>
      <p class="flex items-baseline text-soft tabular-nums">
        <span class="flex-1">{{ timeline.timecode(scene.start) }} to {{ timeline.timecode(end) }}</span>
        <button class="quiet" title="The scene before this one goes on" @click="timeline.act({ do: 'remove scene', scene: scene.id })">
          Remove
        </button>
      </p>
      <h3 class="heading mt-2">They should feel</h3>
      <textarea
        v-model="feel"
        class="mt-1 h-14 shrink-0 resize-none bg-transparent font-serif text-base italic"
        maxlength="1000"
        aria-label="What the audience should feel"
        placeholder="what the audience should feel here"
        @change="set('They should feel', 'feel', feel.trim())"
      />
      <h3 class="heading mt-1">Sounds here</h3>
    </template>
    <template v-else>
      <p class="font-serif text-lg">No scene here yet</p>
      <p class="mt-1 text-soft">
        Scenes say what happens when, and what the audience should feel. Begin one at the playhead, find them where the film cuts, or read a
        list: CSV, EDL or OTIO.
      </p>
      <h3 v-if="sounds.length" class="heading mt-3">Sounds here</h3>
    </template>
    <ul class="min-h-0 flex-1 overflow-y-auto" tabindex="-1">
      <li v-for="{ clip, lane, colour } in sounds" :key="clip.id">
        <button class="flex w-full items-baseline gap-2 py-0.5 text-left" @click="timeline.chosenId = clip.id">
          <i class="size-2 shrink-0 self-center rounded-full" :style="{ background: `var(--${colour})` }" />
          <span class="min-w-0 flex-1 truncate font-serif text-base">{{ clip.name }}</span>
          <span class="text-soft">{{ lane }}, at <span class="tabular-nums">{{ timeline.timecode(clip.start) }}</span></span>
        </button>
      </li>
      <li v-if="scene && !sounds.length" class="text-soft">Nothing sounds in this scene yet.</li>
    </ul>
  </section>
</template>
