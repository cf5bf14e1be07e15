<script setup lang="ts">
/** Tuning the keys by Scala files: a scale, and a keyboard mapping if there is one. */
import { ref } from "vue";

import { useInstrument } from "../../stores/instrument";
import { useNotices } from "../../stores/notices";

const instrument = useInstrument();
const input = ref<HTMLInputElement>();

async function read(event: Event): Promise<void> {
  const files = [...((event.target as HTMLInputElement).files ?? [])];
  (event.target as HTMLInputElement).value = "";
  const ending = (suffix: string) => files.find(({ name }) => name.toLowerCase().endsWith(suffix));
  const scale = ending(".scl");
  if (!scale) {
    useNotices().complain("Choose a Scala scale, a file that ends in .scl; a .kbm mapping may come with it.");
    return;
  }
  instrument.tune(await scale.text(), (await ending(".kbm")?.text()) ?? null);
}
</script>

<template>
  <div class="mb-1 flex items-center gap-2">
    <span class="min-w-0 flex-1 truncate" :title="instrument.document?.tuning?.name"
      ><span class="text-soft">keys in </span>{{ instrument.document?.tuning?.name ?? "equal temperament" }}</span
    >
    <button
      v-if="instrument.document?.tuning"
      class="quiet !px-1"
      @click="instrument.edit('Equal temperament', [{ op: 'replace', path: '/tuning', value: null }])"
    >
      Equal
    </button>
    <button class="quiet !px-1" title="A Scala scale (.scl), with a keyboard mapping (.kbm) if there is one" @click="input?.click()">
      Open a scale
    </button>
    <input ref="input" type="file" accept=".scl,.kbm" multiple hidden aria-label="Scala files" data-testid="scala" @change="read" />
  </div>
</template>
