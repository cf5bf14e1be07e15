<script setup lang="ts">
import { Dialog, DialogPanel, DialogTitle } from "@headlessui/vue";

defineProps<{ open: boolean }>();
const emit = defineEmits<{ close: [] }>();

const GROUPS: { name: string; rows: [string, string][] }[] = [
  {
    name: "Playing",
    rows: [
      ["Z S X D C …", "one octave, from C upward; Q 2 W 3 E … the next"],
      ["\u2190 \u2192 on the strip", "octave down, octave up"],
      ["Space", "hold: notes go on when keys are let go"],
      ["Esc", "panic: silence everything"],
      ["Strip", "across: pitch; up: slide; wheel or push: pressure"],
    ],
  },
  {
    name: "Rules",
    rows: [
      ["Drag", "set; with Shift, ten times finer"],
      ["Arrows, Page, Home, End", "step, coarse step, ends"],
      ["Enter, or click the number", "type a value"],
      ["Double-click or Delete", "the default"],
      ["M", "what moves this, and adding a source"],
      ["Drop a modulator", "lets it move this"],
    ],
  },
  {
    name: "Bench",
    rows: [
      ["Wheel, + and \u2212, 0", "zoom in, out, show all; Shift and wheel, or \u2190 \u2192, scroll"],
      ["Click, Enter", "listen from there; listen or stop"],
      ["Shift Enter on a wavetable", "hear it swept as its recording went"],
      ["Enter on a spectrum", "hear the part that is chosen, or stop"],
      ["\u2190 \u2192 on an edge", "move by 1 ms; Shift: one sample; Alt: zero crossing"],
      ["Alt \u2191 \u2193, Delete on a step", "move it, remove it"],
      ["K D N J on a piece", "keep, drop, name, join to the one before"],
    ],
  },
  {
    name: "Everywhere",
    rows: [
      ["Ctrl Z, Ctrl Shift Z", "undo, redo"],
      ["F2", "rename"],
      ["/", "find in Field"],
      ["Enter in Field", "listen, or stop"],
      ["B in Field", "put the recording on the bench"],
      ["X in Field", "pick, for doing one thing to several"],
      ["G in Field", "grow an instrument from the recording"],
      ["?", "this sheet"],
    ],
  },
];
</script>

<template>
  <Dialog :open="open" class="relative z-40" @close="emit('close')">
    <div class="fixed inset-0 bg-black/30" aria-hidden="true" />
    <div class="fixed inset-0 grid place-items-center p-6">
      <DialogPanel class="floating max-h-full w-[40rem] max-w-full overflow-auto p-6">
        <div class="flex items-baseline justify-between">
          <DialogTitle class="font-serif text-lg">Keys and gestures</DialogTitle>
          <button class="quiet" @click="emit('close')">Close</button>
        </div>
        <section v-for="group in GROUPS" :key="group.name" class="mt-4">
          <h3 class="heading mb-1.5">{{ group.name }}</h3>
          <dl class="grid grid-cols-[13rem_1fr] gap-y-1">
            <template v-for="[keys, does] in group.rows" :key="keys">
              <dt class="font-medium">{{ keys }}</dt>
              <dd class="text-soft">{{ does }}</dd>
            </template>
          </dl>
        </section>
      </DialogPanel>
    </div>
  </Dialog>
</template>
