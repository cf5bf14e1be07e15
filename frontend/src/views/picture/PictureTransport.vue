<script setup lang="ts">
/** Play to the film, stand on a frame, mark scenes, and look more closely. */
import { computed } from "vue";

import { useLive } from "../../stores/live";
import { useTimeline } from "../../stores/timeline";

const MOST_CLOSER = 8;
defineEmits<{ toggle: [] }>();
/** How many steps closer than all of it. */
const closer = defineModel<number>("closer", { required: true });
const timeline = useTimeline();
const live = useLive();
const early = computed(() => timeline.document?.scenes[0] === undefined);
</script>

<template>
  <div class="mt-2 flex items-center gap-1">
    <button class="action w-16" :title="timeline.playing ? 'Stop (Enter)' : 'Play from the playhead (Enter)'" @click="$emit('toggle')">
      {{ timeline.playing ? "Stop" : "Play" }}
    </button>
    <button
      class="quiet flex items-center gap-1.5"
      :disabled="timeline.playing || !live.inHand"
      :title="`Play ${live.inHand?.name ?? 'an instrument'} to the picture; the take is placed where you played`"
      @click="timeline.record()"
    >
      <i class="size-2 rounded-full bg-bad" />{{ timeline.recording ? "Recording" : "Play to it" }}
    </button>
    <button class="quiet" title="A frame back (,)" aria-label="−1 frame" @click="timeline.goTo(timeline.head - 1)">&minus;1</button>
    <button class="quiet" title="A frame on (.)" aria-label="+1 frame" @click="timeline.goTo(timeline.head + 1)">+1</button>
    <span class="flex-1" />
    <button
      v-if="timeline.told?.cuts"
      class="quiet"
      :class="early ? 'font-medium text-focus' : ''"
      @click="timeline.act({ do: 'scenes at cuts' })"
    >
      Scenes at the film's {{ timeline.told.cuts }} {{ timeline.told.cuts === 1 ? "cut" : "cuts" }}
    </button>
    <button class="quiet" @click="timeline.act({ do: 'add scene', frame: timeline.head })">+ Scene here</button>
    <span class="flex" title="How closely it is looked at">
      <button class="quiet" aria-label="See more of the picture at once" :disabled="closer === 0" @click="closer--">&minus;</button>
      <button class="quiet" aria-label="Look more closely" :disabled="closer >= MOST_CLOSER" @click="closer++">+</button>
    </span>
  </div>
</template>
