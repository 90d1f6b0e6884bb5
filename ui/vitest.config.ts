import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";
import { macros } from "./macros.ts";

// Functions run in Node; what one component does runs in jsdom (*.test.tsx), against recorded answers of the real application.
// What needs a browser (layout, drawing, keys of the system, a connection) is driven in one: tests/ui.
const setupFiles = ["src/lib/speakEnglish.ts"];
export default defineConfig({
  plugins: [macros(), react()],
  test: {
    reporters: ["default"],
    experimental: { fsModuleCache: true, fsModuleCachePath: "../var/cache/vitest" },
    projects: [
      { extends: true, test: { name: "functions", include: ["src/**/*.test.ts"], environment: "node", setupFiles } },
      { extends: true, test: { name: "components", include: ["src/**/*.test.tsx"], environment: "jsdom", setupFiles: [...setupFiles, "src/test/setup.ts"], testTimeout: 90_000 } },
    ],
  },
});
