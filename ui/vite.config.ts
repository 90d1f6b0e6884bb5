import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

export default defineConfig({
  plugins: [react(), tailwindcss()],
  build: { outDir: "../meanbead/pages", emptyOutDir: true, target: "es2022", assetsInlineLimit: 0, sourcemap: false, reportCompressedSize: false, chunkSizeWarningLimit: 900 },
  server: { proxy: { "/api": "http://127.0.0.1:8420" } },
});
