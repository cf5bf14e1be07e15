<script setup lang="ts">
/** Puts what the recipe makes on the shelf, and grows an instrument from what was put there last. */
import { ref, watch } from "vue";
import { useRouter } from "vue-router";

import { useBench } from "../../stores/bench";
import { useField } from "../../stores/field";
import { useInstrument } from "../../stores/instrument";
import { useNotices } from "../../stores/notices";
import { useShelf } from "../../stores/shelf";

const router = useRouter();
const bench = useBench();
const field = useField();
const shelf = useShelf();
const keptId = ref<number | null>(null);

watch(
  () => bench.recording?.id,
  () => (keptId.value = null),
);

function keep(): void {
  const made = bench.steps.some((one) => one.do === "tone")
    ? "tone"
    : bench.steps.some((one) => one.do === "loop" && one.on)
      ? "loop"
      : "material";
  void bench.keep([{ name: `${bench.recording!.name}, ${made}` }], kept);
}

/** Something was put on the shelf, from here or pieces, or was there already. */
async function kept(ids: number[], known: number[] = []): Promise<void> {
  await field.load();
  const all = [...ids, ...known];
  keptId.value = all.length === 1 ? all[0]! : null;
  const one = shelf.byId.get(all[0]!);
  const words = all.length === 1 ? `'${one?.name}' is on the shelf` : `${ids.length} materials are on the shelf`;
  const already = known.length
    ? all.length === 1
      ? " already: the same recipe made it"
      : `, ${known.length} more were there already`
    : "";
  const show = () => ((field.chosenId = all[0] ?? null), router.push("/field"));
  useNotices().tell(`${words}${already}.`, { word: "Show", take: show });
}

async function grow(): Promise<void> {
  const found = shelf.byId.get(keptId.value ?? -1);
  const id = found ? await field.grow(found, 0) : null;
  if (id === null) return;
  await useInstrument().list();
  await router.push(`/instrument/${id}`);
}

defineExpose({ kept });
</script>

<template>
  <button
    class="action-main py-2"
    :disabled="!!bench.problem || !bench.after"
    title="Put what the recipe makes on the shelf, with its recipe"
    @click="keep"
  >
    Keep as material
  </button>
  <button v-if="keptId !== null" class="action py-1.5" @click="grow">Grow an instrument from it</button>
</template>
