import { createRouter, createWebHistory } from "vue-router";

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: "/", redirect: "/field" },
    { path: "/field", name: "field", component: () => import("./views/field/FieldView.vue") },
    { path: "/bench/:id(\\d+)?", name: "bench", component: () => import("./views/bench/BenchPage.vue") },
    {
      path: "/instrument/:id(\\d+)?",
      name: "instrument",
      component: () => import("./views/instrument/InstrumentView.vue"),
    },
    { path: "/swap/:id(\\d+)", name: "swap", component: () => import("./views/swap/SwapView.vue") },
    { path: "/ensemble/:id(\\d+)?", name: "ensemble", component: () => import("./views/ensemble/EnsembleView.vue") },
    { path: "/takes/:id(\\d+)?", name: "takes", component: () => import("./views/takes/TakesView.vue") },
    { path: "/deliver/picture/:id(\\d+)?", name: "picture", component: () => import("./views/picture/PictureView.vue") },
    { path: "/deliver/samples/:id(\\d+)?", name: "samples", component: () => import("./views/samples/SamplesView.vue") },
    { path: "/deliver/:id(\\d+)?", name: "deliver", component: () => import("./views/deliver/DeliverView.vue") },
    { path: "/:rest(.*)", redirect: "/field" },
  ],
});
