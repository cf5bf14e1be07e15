import tailwindcss from "@tailwindcss/vite";
import vue from "@vitejs/plugin-vue";
import { defineConfig } from "vitest/config";

import { handbook } from "./handbook";

export default defineConfig({
  plugins: [vue(), tailwindcss(), handbook()],
  worker: { format: "es" },
  build: {
    outDir: "../src/innerbloom/web/static",
    emptyOutDir: true,
    // the content security policy allows files only, nothing inlined
    assetsInlineLimit: 0,
  },
  test: {
    environment: "happy-dom",
    environmentOptions: { happyDOM: { url: "http://127.0.0.1/" } },
    include: ["src/**/*.test.ts"],
    // one environment for all files: making one for each took six times as long as everything else
    isolate: false,
  },
});
