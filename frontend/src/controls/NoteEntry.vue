<script setup lang="ts">
/** A note, typed as a name or number; where none is allowed, empty means no clear pitch. */
import { computed } from "vue";

import { useNotices } from "../stores/notices";
import { noteName, parseNote } from "../theme/words";
import TypedInPlace from "./TypedInPlace.vue";

const props = defineProps<{ note: number | null; label: string; help?: string; orNone?: boolean }>();
const emit = defineEmits<{ change: [note: number | null] }>();
const words = computed(() => (props.note === null ? "no clear pitch" : noteName(props.note)));

function typed(text: string): void {
  const none = text === "" || text === "none";
  if (none && !props.orNone) return;
  const note = none ? null : parseNote(text);
  if (note === null && !none) {
    const or = props.orNone ? ", or leave it empty for no clear pitch" : "";
    useNotices().complain(`“${text}” is not a note: write C3, F♯2 +14${or}.`);
  } else if (note !== props.note) emit("change", note);
}
</script>

<template>
  <TypedInPlace
    :shown="words"
    :start="note === null ? '' : words"
    :label="label"
    :help="help"
    placeholder="none"
    entry-class="w-20 font-semibold"
    shown-class="font-semibold"
    @typed="typed"
  />
</template>
