<script setup lang="ts">
/** Several passes over one backing, side by side: a click in one makes it heard from there on; they are put together. */
import { computed, ref } from "vue";
import { useRouter } from "vue-router";

import { api, wanted } from "../../api/client";
import type { TakeLine } from "../../api/types";
import { clock } from "../../charts/takeLine";
import { useJobs } from "../../stores/jobs";
import { useLive } from "../../stores/live";
import { useNotices } from "../../stores/notices";
import { useTakes } from "../../stores/takes";
import { type CompPart, heardFrom, stretchesOf } from "./comp";
import PassWave from "./PassWave.vue";

const props = defineProps<{ passes: TakeLine[] }>();
const takes = useTakes();
const live = useLive();
const router = useRouter();
const parts = ref<CompPart[]>([{ take: props.passes[0]!.id, start: 0 }]);
const making = ref(false);
const first = computed(() => Math.min(...props.passes.map(({ backing_at }) => backing_at)));
/** Where in the backing a pass begins, from where the earliest of them does. */
const offset = (one: TakeLine) => one.backing_at - first.value;
const length = computed(() => Math.max(...props.passes.map((one) => offset(one) + one.seconds)));
const share = (at: number) => `${(100 * at) / length.value}%`;

function choose(event: MouseEvent, one: TakeLine): void {
  const { left, width } = (event.currentTarget as Element).getBoundingClientRect();
  const at = ((event.clientX - left) / width) * length.value;
  parts.value = heardFrom(parts.value, one.id, Math.min(at, offset(one) + one.seconds - 0.1));
  live.listenToTake(one.folder, at - offset(one));
}

/** By keys: it is heard from the middle of what another has now, or all of it. */
function key(event: KeyboardEvent, one: TakeLine): void {
  if (event.key !== "Enter") return;
  event.preventDefault();
  const head = live.look.listening;
  parts.value = heardFrom(parts.value, one.id, head ?? 0);
}

async function make(): Promise<void> {
  making.value = true;
  try {
    const body = { name: "Comp", parts: parts.value, crossfade: 20 };
    const made = await wanted(api.POST("/api/takes/comp", { body }));
    await takes.list();
    useJobs().follow(made.job, () => takes.id === made.take && void takes.look());
    await router.push(`/takes/${made.take}`);
  } catch (error) {
    useNotices().complain(error);
  } finally {
    making.value = false;
  }
}
</script>

<template>
  <section class="flex min-h-0 flex-1 flex-col gap-2" aria-label="Passes">
    <p class="text-soft">{{ passes.length }} passes over the same sound. Click in one: it is heard from there on.</p>
    <ol class="flex flex-col gap-2 overflow-y-auto">
      <li v-for="one in passes" :key="one.id">
        <p class="flex gap-2 text-xs">
          <span class="flex-1 truncate" :class="one.id === takes.id ? 'font-semibold' : ''">{{ one.name }}</span>
          <span class="text-soft">{{ clock(one.seconds, true) }}</span>
        </p>
        <div
          class="relative h-14 cursor-pointer border border-hairline bg-sheet"
          role="button"
          tabindex="0"
          :aria-label="`Hear ${one.name} from here on`"
          data-testid="pass"
          @click="choose($event, one)"
          @keydown="key($event, one)"
        >
          <i
            v-for="heard in stretchesOf(parts, one.id, length)"
            :key="heard.start"
            class="absolute inset-y-0 bg-[color-mix(in_srgb,var(--good)_22%,transparent)]"
            :style="{ left: share(heard.start), width: share(heard.end - heard.start) }"
          />
          <PassWave class="absolute inset-y-0" :take="one.id" :style="{ left: share(offset(one)), width: share(one.seconds) }" />
        </div>
      </li>
    </ol>
    <ol class="list-decimal pl-6 text-soft" aria-label="What is heard when">
      <li v-for="one in parts" :key="one.start">{{ clock(one.start, true) }}: {{ passes.find(({ id }) => id === one.take)?.name }}</li>
    </ol>
    <div class="flex gap-2">
      <button class="action-main flex-1 py-2" :disabled="parts.length < 2 || making" @click="make">Put them together</button>
      <button class="action" :disabled="parts.length < 2" @click="parts = [{ take: passes[0]!.id, start: 0 }]">Begin again</button>
    </div>
  </section>
</template>
