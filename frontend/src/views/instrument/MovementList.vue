<script setup lang="ts">
/** What moves what: every route as a sentence, or all of them as a grid. */
import { until } from "@vueuse/core";
import { computed, nextTick, ref, watch } from "vue";

import { useInstrument } from "../../stores/instrument";
import { WHOLE } from "../../stores/owners";
import { useLiveMovement, useMovement } from "../../stores/movement";
import AddModulator from "./AddModulator.vue";
import MovementGrid from "./MovementGrid.vue";
import RouteRow from "./RouteRow.vue";
import SayRoute from "./SayRoute.vue";
import SourcesRow from "./SourcesRow.vue";

defineProps<{ grid: boolean }>();
const instrument = useInstrument();
const movement = useMovement();
const wanted = ref("");

const shown = computed(() =>
  movement.routes.filter(({ id }) => {
    const said = movement.said(id);
    const text = said ? `${said.source} ${said.owner} ${said.parameter} ${said.more.join(" ")}`.toLowerCase() : "";
    return wanted.value
      .toLowerCase()
      .split(/[\s,]+/)
      .every((word) => text.includes(word));
  }),
);
const loose = computed(() =>
  movement.reading.findings.filter(({ about }) => !about.some((id) => movement.routes.some((one) => one.id === id))),
);
const off = computed(() => movement.routes.filter(({ on }) => !on).length);
const all = computed(() => instrument.document?.settings.routes !== "off");

function switchAll(): void {
  const value = all.value ? "off" : "on";
  instrument.move(WHOLE, "routes", value);
  instrument.rest(WHOLE, { routes: value }, all.value ? "All routes on" : "All routes off");
}

useLiveMovement();

const rows = ref<HTMLElement>();
const SHOWN_MS = 2_500;
/** A route that was just made is scrolled to, and lit for a moment. */
watch(
  () => [instrument.id, movement.routes.map(({ id }) => id)] as const,
  async ([document, now], [documentBefore, before]) => {
    const fresh = now.filter((id) => !before.includes(id));
    if (document !== documentBefore || fresh.length !== 1) return;
    // its row is there once its sentence has come
    await until(() => movement.said(fresh[0]!) !== undefined).toBe(true, { timeout: 5_000 });
    await nextTick();
    rows.value?.querySelector(`[data-route="${fresh[0]}"]`)?.scrollIntoView({ block: "nearest" });
    movement.lit = fresh[0]!;
    setTimeout(() => movement.lit === fresh[0] && (movement.lit = null), SHOWN_MS);
  },
);
</script>

<template>
  <div class="flex min-h-0 flex-1 flex-col">
    <div class="mb-2 flex items-center gap-3">
      <label class="flex items-center gap-2 text-soft"
        >find <input v-model="wanted" class="field w-48 !py-1" placeholder="ice, or cutoff, or wheel" @keydown.stop
      /></label>
      <AddModulator />
      <span class="ml-auto text-soft"
        >{{ movement.routes.length }} {{ movement.routes.length === 1 ? "route" : "routes"
        }}<template v-if="off">, {{ off }} off</template></span
      >
      <button
        class="quiet"
        :class="{ 'font-semibold text-warn': !all }"
        :title="'Lets nothing move anything, touch included'"
        @click="switchAll"
      >
        {{ all ? "All off" : "All routes are off: switch on" }}
      </button>
    </div>
    <SourcesRow v-if="!grid" />
    <div ref="rows" class="min-h-0 flex-1 overflow-auto border-t border-hairline">
      <p v-for="finding in loose" :key="finding.id" class="border-b border-hairline py-1.5 pl-3 text-xs">
        <span class="font-medium text-warn">{{ finding.text }}</span>
        <button class="ml-2 text-focus hover:underline" @click="movement.accept(finding)">{{ finding.fix }}</button>
      </p>
      <MovementGrid v-if="grid" :routes="shown" />
      <ul v-else aria-label="Routes">
        <RouteRow v-for="route in shown" :key="route.id" :route="route" />
      </ul>
      <p v-if="!shown.length" class="py-3 text-base text-soft">
        {{ movement.routes.length ? "No route has these words." : "Nothing moves yet. Add a modulator, or say below what moves what." }}
      </p>
    </div>
    <SayRoute class="mt-2" />
  </div>
</template>
