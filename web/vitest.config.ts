import vue from "@vitejs/plugin-vue";
import { fileURLToPath } from "node:url";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [vue()],
  resolve: { alias: { "@": fileURLToPath(new URL("./src", import.meta.url)) } },
  test: {
    environment: "happy-dom",
    isolate: false,
    include: ["src/**/*.test.ts"],
    setupFiles: ["src/beforeTests.ts"],
    env: { TZ: "Europe/Oslo" },
  },
});
