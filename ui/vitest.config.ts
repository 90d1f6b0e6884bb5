import { defineConfig } from "vitest/config";

// Pure functions only: what needs a page is driven in a real browser (tests/ui).
export default defineConfig({ test: { include: ["src/**/*.test.ts"], environment: "node", reporters: ["default"] } });
