<script setup lang="ts">
/** Rate, counting, first timecode and length of the picture. */
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/vue";
import { computed } from "vue";

import type { Timeline } from "../../api/types";
import Segments from "../../controls/Segments.vue";
import TypedInPlace from "../../controls/TypedInPlace.vue";
import { useTimeline } from "../../stores/timeline";
import { duration } from "../../theme/words";

const RATES = ["23.976", "24", "25", "29.97", "30", "48", "50", "59.94", "60"] as const;
const COUNTING = [
  { value: "all", word: "every number" },
  { value: "drop", word: "drop frame", help: "Numbers are left out so that timecode keeps to the clock (SMPTE ST 12-1)" },
];
const timeline = useTimeline();
const doc = computed(() => timeline.document!);
const drops = computed(() => doc.value.rate === "29.97" || doc.value.rate === "59.94");
const length = computed(() => duration(timeline.seconds(doc.value.frames)));

function set(rate: Timeline["rate"], drop: boolean, start?: string): void {
  void timeline.act({ do: "set clock", rate, drop, start: start ?? `${timeline.timecode(0).slice(0, 9).replace(";", ":")}00` });
}
</script>

<template>
  <Popover class="relative">
    <PopoverButton class="quiet shrink-0 font-serif text-base italic" title="Rate, first timecode and length">
      {{ length }} at {{ doc.rate }}<span class="hidden xl:inline"> frames a second</span>
    </PopoverButton>
    <PopoverPanel class="floating absolute left-0 z-20 mt-1 w-96 p-4">
      <p class="heading mb-1">Frames a second</p>
      <p v-if="doc.film" class="text-soft">{{ doc.rate }}, as the film runs</p>
      <Segments
        v-else
        tight
        class="-ml-1.5"
        label="Frames a second"
        :model-value="doc.rate"
        :options="RATES.map((value) => ({ value, word: value }))"
        @update:model-value="set($event, false)"
      />
      <Segments
        v-if="drops"
        tight
        class="mt-1 -ml-1.5"
        label="Counting"
        :model-value="doc.drop ? 'drop' : 'all'"
        :options="COUNTING"
        @update:model-value="set(doc.rate, $event === 'drop')"
      />
      <dl class="mt-3 grid grid-cols-[9rem_1fr] gap-y-1">
        <dt class="text-soft">first frame</dt>
        <dd class="tabular-nums">
          <TypedInPlace :shown="timeline.timecode(0)" label="Timecode of the first frame" @typed="set(doc.rate, doc.drop, $event)" />
        </dd>
        <dt class="text-soft">end</dt>
        <dd class="tabular-nums">
          <span v-if="doc.film">{{ timeline.timecode(doc.frames) }}, with the film</span>
          <TypedInPlace
            v-else
            :shown="timeline.timecode(doc.frames)"
            label="Timecode of the end"
            @typed="timeline.act({ do: 'set length', end: $event })"
          />
        </dd>
      </dl>
    </PopoverPanel>
  </Popover>
</template>
