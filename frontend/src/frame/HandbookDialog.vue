<script setup lang="ts">
/** The handbook: a page a step, searched by words. */
import { computed, nextTick, ref, watch } from "vue";
import pages from "virtual:handbook";

import { useHandbook } from "../stores/handbook";
import DialogFrame from "./DialogFrame.vue";
import { find } from "./handbookSearch";

const book = useHandbook();
const query = ref("");
const page = ref<HTMLElement>();
const shown = computed(() => pages.find(({ id }) => id === book.page) ?? pages[0]!);
const found = computed(() => find(pages, query.value));

watch(
  () => [book.page, book.open],
  async () => {
    await nextTick();
    page.value?.scrollTo({ top: 0 });
  },
);

function show(id: string): void {
  query.value = "";
  book.page = id;
}
</script>

<template>
  <DialogFrame :open="book.open" title="Handbook" width="w-[60rem]" @close="book.open = false">
    <template #note><button class="quiet" @click="book.keys()">keys and gestures</button></template>
    <div class="mt-3 flex h-[78vh] min-h-0 gap-6">
      <nav class="flex w-52 shrink-0 flex-col gap-0.5" aria-label="Pages of the handbook">
        <input
          v-model="query"
          class="field mb-2 w-full"
          type="search"
          placeholder="Find in the handbook"
          aria-label="Find in the handbook"
        />
        <button
          v-for="one in pages"
          :key="one.id"
          class="rounded-sm px-2 py-1 text-left"
          :class="one.id === shown.id && !query ? 'bg-ink font-medium text-paper' : 'hover:bg-[var(--key-shade)]'"
          :aria-current="one.id === shown.id"
          @click="show(one.id)"
        >
          {{ one.title.split(":")[0] }}
        </button>
      </nav>
      <ul v-if="query.trim()" class="min-h-0 flex-1 overflow-y-auto" tabindex="0" aria-label="Found in the handbook">
        <li v-for="one in found" :key="one.id">
          <button class="w-full rounded-sm px-2 py-2 text-left hover:bg-[var(--key-shade)]" @click="show(one.id)">
            <span class="font-serif text-base">{{ one.title }}</span>
            <span class="block text-soft">… {{ one.before }}<b class="text-ink">{{ one.match }}</b>{{ one.after }} …</span>
          </button>
        </li>
        <li v-if="!found.length" class="px-2 py-2 text-soft">No page has all of these words.</li>
      </ul>
      <!-- made from our own Markdown as the page is built -->
      <!-- eslint-disable-next-line vue/no-v-html -->
      <article
        v-else
        ref="page"
        class="book min-h-0 flex-1 overflow-y-auto pr-3"
        tabindex="0"
        :aria-label="shown.title"
        v-html="shown.html"
      />
    </div>
  </DialogFrame>
</template>

<style scoped>
.book {
  font-size: 15px;
  line-height: 1.55;
}
.book :deep(h1) {
  font-family: var(--font-serif);
  font-size: 28px;
  line-height: 1.2;
}
.book :deep(h2) {
  margin: 1.2em 0 0.3em;
  font-family: var(--font-serif);
  font-size: 20px;
}
.book :deep(h3) {
  margin: 1em 0 0.2em;
  font-weight: 600;
}
.book :deep(p),
.book :deep(ul),
.book :deep(ol),
.book :deep(table) {
  margin: 0.5em 0;
}
.book :deep(ul) {
  padding-left: 1.2em;
  list-style: disc;
}
.book :deep(ol) {
  padding-left: 1.4em;
  list-style: decimal;
}
.book :deep(img) {
  width: 100%;
  margin: 0.8em 0;
  border: 1px solid var(--hairline);
}
.book :deep(td),
.book :deep(th) {
  padding: 0.2em 1em 0.2em 0;
  text-align: left;
  border-bottom: 1px solid var(--hairline);
}
.book :deep(strong) {
  font-weight: 600;
}
.book :deep(code) {
  font-size: 0.92em;
  background: var(--key-shade);
  padding: 0 3px;
  border-radius: 2px;
}
</style>
