import { afterEach, beforeEach, expect, it, vi } from "vitest";
import { createApp, defineComponent, h, reactive } from "vue";
import { createMemoryHistory, createRouter, type Router, RouterView } from "vue-router";

import { useAddressed } from "./addressed";

const made = () =>
  reactive({
    id: null as number | null,
    lines: [] as { id: number }[],
    there: [] as number[],
    async list() {
      this.lines = this.there.map((id) => ({ id }));
    },
    async open(id: number) {
      if (!this.there.includes(id)) return false;
      this.id = id;
      return true;
    },
  });

let documents: ReturnType<typeof made>;
let router: Router;
let app: ReturnType<typeof createApp>;
const again = vi.fn();

async function shown(address: string): Promise<void> {
  const view = defineComponent(() => {
    useAddressed("takes", "/takes", documents, { again, last: "last-take" });
    return () => h("p");
  });
  const other = defineComponent(() => () => h("p"));
  const routes = [
    { path: "/takes/:id(\\d+)?", name: "takes", component: view },
    { path: "/field", name: "field", component: other },
  ];
  router = createRouter({ history: createMemoryHistory(), routes });
  await router.push(address);
  app = createApp(defineComponent(() => () => h(RouterView)));
  app.use(router).mount(document.createElement("div"));
  await settled();
}

/** Every way that was set out on has come to its end: each takes a few turns. */
const settled = () => new Promise((done) => setTimeout(done, 10));

beforeEach(() => {
  documents = made();
  documents.there = [3, 5, 8];
  again.mockClear();
  localStorage.clear();
});
afterEach(() => app.unmount());

it("opens what the address names", async () => {
  await shown("/takes/5");
  expect(documents.id).toBe(5);
  await router.push("/takes/8");
  await settled();
  expect(documents.id).toBe(8);
  expect(again).not.toHaveBeenCalled();
});

it("does not open again what is open", async () => {
  documents.id = 5;
  await shown("/takes/5");
  expect(again).toHaveBeenCalledOnce();
});

it("goes on with what there is where the address names what is gone", async () => {
  await shown("/takes/99");
  await settled();
  expect(router.currentRoute.value.path).toBe("/takes/3");
});

it("takes the one in hand, then the one that was open last, then the first", async () => {
  documents.id = 8;
  localStorage.setItem("last-take", "5");
  await shown("/takes");
  expect(router.currentRoute.value.path).toBe("/takes/8");
  app.unmount();
  documents.id = null;
  await shown("/takes");
  expect(router.currentRoute.value.path).toBe("/takes/5");
  app.unmount();
  [documents.id, documents.there] = [null, [3]];
  await shown("/takes");
  expect(router.currentRoute.value.path).toBe("/takes/3");
});

it("opens the first that comes in while the empty page is shown, and leads nobody away from another", async () => {
  documents.there = [];
  await shown("/takes");
  expect(router.currentRoute.value.path).toBe("/takes");
  documents.there = [4];
  await documents.list();
  await settled();
  expect([router.currentRoute.value.path, documents.id]).toEqual(["/takes/4", 4]);
  documents.lines = [];
  await router.push("/field");
  await documents.list();
  await settled();
  expect(router.currentRoute.value.path).toBe("/field");
});
