import tailwindcss from "@tailwindcss/vite";
import vue from "@vitejs/plugin-vue";
import { defineConfig } from "vite";

export default defineConfig({
  plugins: [vue(), tailwindcss()],
  worker: { format: "es" },
  build: {
    outDir: "../src/innerbloom/web/static",
    emptyOutDir: true,
    // the content security policy allows files only, nothing inlined
    assetsInlineLimit: 0,
  },
});
