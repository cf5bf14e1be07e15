<script setup lang="ts">
import { computed, ref } from "vue";
import { useRouter } from "vue-router";

import type { Recording } from "../../api/types";
import Waveform from "../../charts/Waveform.vue";
import EditableName from "../../controls/EditableName.vue";
import TypedEntry from "../../controls/TypedEntry.vue";
import { NO_FILTERS, useField } from "../../stores/field";
import { useLive } from "../../stores/live";
import { useShelf } from "../../stores/shelf";
import { useProject } from "../../stores/project";
import { useVariations } from "../../stores/variations";
import { cents, decibels, noteName, noteOf } from "../../theme/words";
import { dragOut } from "./dragOut";
import LineagePanel from "./LineagePanel.vue";
import SpectrumButton from "../bench/SpectrumButton.vue";
import TableDialog from "../bench/TableDialog.vue";
import TagList from "./TagList.vue";
import { ABOUT, type AboutField } from "./about";

const props = defineProps<{ recording: Recording }>();
defineEmits<{ grow: []; listen: []; export: [] }>();
const field = useField();
const live = useLive();
const wavetable = ref(false);
const shelf = useShelf();
const line = computed(() => shelf.byId.get(props.recording.id));
/** What was said before is offered again. */
const LISTS: Partial<Record<AboutField, string>> = { collection: "known-collections", place: "known-places" };

const m = computed(() => props.recording.measured);
const project = useProject();
const partialNote = computed(() => (m.value.partial_hz ? noteName(noteOf(m.value.partial_hz, project.settings.tuning)) : ""));
const growing = computed(
  () =>
    ({ wavetable: "A new instrument that moves through it (G)", spectrum: "A new instrument that plays it at any pace (G)" })[
      props.recording.kind
    ] ?? "A new instrument with one cloud, at this recording's root (G)",
);
const listening = computed(() => live.listeningTo === props.recording.digest);

function alike(): void {
  field.wantedOnly = { ...NO_FILTERS, like: props.recording.id };
  void field.find();
}

const name = ref<InstanceType<typeof EditableName>>();
const loudness = computed(() =>
  m.value.lufs === null && m.value.momentary_lufs != null
    ? `momentary loudness ${decibels(m.value.momentary_lufs)} LUFS`
    : `loudness ${decibels(m.value.lufs)} LUFS`,
);
defineExpose({ rename: () => name.value?.begin() });

/** What the recorder wrote of the take. */
const slate = computed(() =>
  [props.recording.scene && `scene ${props.recording.scene}`, props.recording.take && `take ${props.recording.take}`]
    .filter(Boolean)
    .join(", "),
);
const router = useRouter();
async function vary(): Promise<void> {
  const id = await useVariations().create({ recording: props.recording.id });
  if (id !== null) await router.push(`/deliver/${id}`);
}

const nameByTitle = () => void field.edit(props.recording, { name: props.recording.title.slice(0, 120) });

function change(name: AboutField, text: string): void {
  const value = text.trim();
  if (value !== props.recording[name]) void field.edit(props.recording, { [name]: value });
}
</script>

<template>
  <aside
    class="flex w-[15.500rem] shrink-0 xl:w-[19.500rem] flex-col gap-3 overflow-y-auto border-l border-hairline px-5 py-4"
    :aria-label="recording.name"
  >
    <div>
      <h2 class="flex font-serif text-lg">
        <EditableName ref="name" :name="recording.name" what="recording" @rename="field.edit(recording, { name: $event })" />
      </h2>
      <p class="truncate text-soft" :title="recording.filename">{{ recording.filename }}</p>
      <p v-if="slate" class="truncate text-soft" :title="slate">{{ slate }}</p>
      <p v-if="recording.title && recording.title !== recording.name" class="text-soft">
        titled “{{ recording.title }}” inside
        <button class="quiet text-focus" title="Name the sound by the title that stands in its file" @click="nameByTitle">
          Use as name
        </button>
      </p>
    </div>
    <div
      class="relative h-24 shrink-0 border border-hairline bg-sheet"
      draggable="true"
      title="Drag it to the desktop or into another program"
      @dragstart="dragOut($event, line!)"
    >
      <Waveform :digest="recording.digest" colour="wave-chosen" />
    </div>
    <div>
      <p class="font-medium">
        <template v-if="m.root_note"
          >{{ m.root_note.replace("#", "♯") }} {{ cents(m.cents ?? 0) }} cents, {{ m.root_hz?.toFixed(1) }} Hz, confidence
          {{ Math.round(100 * m.confidence) }} %</template
        >
        <template v-else>No clear pitch</template>
      </p>
      <p v-if="m.partial_hz" class="text-soft">
        Perhaps {{ partialNote }}: a partial at {{ m.partial_hz.toFixed(1) }} Hz lasts and holds {{ Math.round(100 * m.partial_share) }} %
        of the energy, but the rest does not fit it as a root.
      </p>
      <p class="text-soft">{{ recording.character }}, true peak {{ decibels(m.true_peak_dbtp) }} dBTP</p>
      <p class="text-soft">{{ loudness }}, noise floor {{ decibels(m.noise_floor_dbfs) }} dBFS</p>
    </div>
    <p v-for="remark in m.remarks" :key="remark" class="border-l-4 border-warn pl-2">{{ remark }}</p>
    <button class="action-main py-2" :title="growing" @click="$emit('grow')">Grow an instrument from it</button>
    <div class="-mx-1.5 -mt-1 flex flex-wrap gap-x-1 text-focus">
      <button class="quiet" title="Enter" @click="$emit('listen')">{{ listening ? "Stop listening" : "Listen" }}</button>
      <RouterLink class="quiet" title="Work on it (B)" :to="`/bench/${recording.id}`">Put it on the bench</RouterLink>
      <template v-if="recording.kind !== 'wavetable' && recording.kind !== 'spectrum'">
        <button class="quiet" title="Frames along it, to be swept by hand or by anything" @click="wavetable = true">
          Take a wavetable from it
        </button>
        <SpectrumButton class="quiet" :recording="recording.id" word="Take its spectrum" />
      </template>
      <button
        v-if="recording.lineage.instrument"
        class="quiet"
        title="Many like it for a game, from its instrument as it was"
        @click="vary"
      >
        Variations of it
      </button>
      <button class="quiet" title="In a format and at a rate of your choice" @click="$emit('export')">Out as a file</button>
      <button class="quiet" title="The most alike in timbre first" @click="alike">More like this one</button>
    </div>
    <TableDialog :open="wavetable" :recordings="line ? [line] : []" @close="wavetable = false" />
    <LineagePanel :recording="recording" />
    <section>
      <h3 class="heading mb-1">Tags</h3>
      <TagList :recording="recording" />
    </section>
    <section>
      <h3 class="heading mb-1.5">About it</h3>
      <label v-for="one in ABOUT" :key="`${recording.id}.${one.field}`" class="mb-1 grid grid-cols-[5.200rem_1fr] items-baseline gap-1">
        <span class="text-soft">{{ one.name }}</span>
        <TypedEntry
          class="origin resize-none"
          :rows="one.field === 'notes' ? 2 : 0"
          :value="recording[one.field]"
          :placeholder="one.field === 'notes' ? 'weather, take, how it was made' : 'not said'"
          :maxlength="one.most"
          :list="LISTS[one.field]"
          :take="(text) => change(one.field, text)"
        />
      </label>
    </section>
    <datalist id="known-collections"><option v-for="one in shelf.collections" :key="one" :value="one" /></datalist>
    <datalist id="known-places"><option v-for="one in shelf.places" :key="one" :value="one" /></datalist>
    <button
      class="quiet mt-auto -ml-1.5 self-start text-soft"
      title="Take it off the shelf; can be undone (Delete)"
      @click="field.remove(line!)"
    >
      Delete
    </button>
  </aside>
</template>

<style scoped>
.origin {
  min-width: 0;
  padding: 1px 4px;
  border-bottom: 1px solid var(--hairline);
  background: transparent;
}
.origin::placeholder {
  color: var(--ink-soft);
}
</style>
