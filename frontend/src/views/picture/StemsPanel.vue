<script setup lang="ts">
/** How stems are handed over, whether all is right, and the hand-over. */
import { computed } from "vue";
import { useRouter } from "vue-router";

import type { ReadyFinding, Settings, Value } from "../../api/types";
import { grouped } from "../../controls/declared";
import JobOutcome from "../../controls/JobOutcome.vue";
import { useField } from "../../stores/field";
import { isActive } from "../../stores/jobs";
import { useProject } from "../../stores/project";
import { useTimeline } from "../../stores/timeline";
import { ago } from "../../theme/words";
import SettingsGroup from "../instrument/SettingsGroup.vue";

const timeline = useTimeline();
const project = useProject();
const router = useRouter();
const doc = computed(() => timeline.document!);
const groups = computed(() => grouped(project.catalogue.stems));
const told = computed(() => timeline.told);
const stems = computed(() => Math.max(0, (told.value?.stems.length ?? 0) - 1));
const measuring = computed(() => isActive(timeline.weighing));
const job = computed(() => timeline.handing);
const running = computed(() => isActive(job.value));
const wrong = computed(() => told.value?.findings.filter((one) => !one.right) ?? []);
const mendable = computed(() => wrong.value.filter((one) => one.mend !== null));
const move = (id: string, value: Value) => timeline.drag(`/settings/${id}`, value);
const rest = (id: string, value: Value, name: string) => void timeline.edit(name, [{ op: "replace", path: `/settings/${id}`, value }]);

const mend = (one: ReadyFinding) => timeline.act({ do: "mend", what: one.mend!, owner: one.owner });
/** What is not known of a recording is filled in on its card. */
async function fill(name: string): Promise<void> {
  useField().query = name;
  await router.push("/field");
}

async function mendAll(): Promise<void> {
  for (const one of [...mendable.value]) if (!(await mend(one))) return;
}
</script>

<template>
  <div class="flex min-h-0 flex-1 flex-col">
    <div class="flex min-h-0 flex-1 flex-col gap-3 overflow-y-auto px-4 pt-3 pb-3" :style="{ '--petal': 'var(--ochre)' }">
      <p class="font-serif text-lg">Hand over</p>
      <SettingsGroup
        v-for="group in groups"
        :key="group.name"
        :name="group.name"
        :declared="group.declared"
        :values="doc.settings as Settings"
        @move="move"
        @rest="rest"
      />
      <p class="text-soft">
        One stem a lane and the whole, 48 kHz, with timecode and loudness in each; OTIO and EDL, cue sheet, credits, checksums.
      </p>
      <section v-if="told" aria-label="Ready?">
        <p class="flex items-baseline">
          <span class="flex-1 font-serif text-lg">Ready?</span>
          <span v-if="measuring" class="text-soft" role="status">being measured</span>
        </p>
        <ul class="mt-1">
          <li v-for="one in told.findings" :key="one.text" class="flex gap-2 py-0.5">
            <i class="w-3 shrink-0 font-semibold not-italic" :class="one.right ? 'text-good' : 'text-warn'" aria-hidden="true">{{
              one.right ? "✓" : "!"
            }}</i>
            <span class="min-w-0 flex-1">
              <button v-if="one.frame !== null" class="text-left" title="Look there" @click="timeline.goTo(one.frame)">
                {{ one.text }}
              </button>
              <template v-else>{{ one.text }}</template>
              <button v-if="one.search" class="quiet -ml-1.5 block text-focus" @click="fill(one.search)">{{ one.fix }}</button>
              <button v-if="one.mend" class="quiet -ml-1.5 block text-focus" @click="mend(one)">{{ one.fix }}</button>
            </span>
          </li>
        </ul>
        <button v-if="mendable.length > 1" class="quiet -ml-1.5 mt-1 font-medium text-focus" @click="mendAll">
          Mend all {{ mendable.length }}
        </button>
      </section>
      <section v-if="told?.handed" aria-label="Last handed over">
        <h3 class="heading mb-1">Last handed over</h3>
        <p>
          {{ told.handed.stems }} {{ told.handed.stems === 1 ? "stem" : "stems" }}, {{ told.handed.files }} files,
          {{ ago(told.handed.when) }}
        </p>
        <p class="text-soft">
          {{ told.handed.changed.length ? `since then changed: ${told.handed.changed.join(", ")}` : "nothing was changed since then" }}
        </p>
      </section>
    </div>
    <div class="flex shrink-0 flex-col gap-1.5 border-t border-hairline px-4 py-3">
      <JobOutcome :job="job" doing="Handing over" />
      <p v-if="told?.wrong && timeline.clips.length" class="border-l-4 border-bad pl-2 [overflow-wrap:anywhere]">{{ told.wrong }}</p>
      <button class="action-main" :disabled="running || !stems" @click="timeline.handOver()">
        {{ stems ? `Hand over ${stems} ${stems === 1 ? "stem" : "stems"}` : "Hand over" }}
      </button>
    </div>
  </div>
</template>
