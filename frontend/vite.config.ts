import tailwindcss from "@tailwindcss/vite";
import vue from "@vitejs/plugin-vue";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [vue(), tailwindcss()],
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
  },
});
