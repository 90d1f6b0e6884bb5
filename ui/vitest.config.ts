import { defineConfig } from "vitest/config";
import { macros } from "./macros.ts";

// Pure functions only: what needs a page is driven in a real browser (tests/ui).
export default defineConfig({
  plugins: [macros()],
  test: { include: ["src/**/*.test.ts"], setupFiles: ["src/lib/speakEnglish.ts"], environment: "node", reporters: ["default"] },
});
