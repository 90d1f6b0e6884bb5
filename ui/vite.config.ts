import { lingui } from "@lingui/vite-plugin";
import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";
import { VitePWA } from "vite-plugin-pwa";
import { macros } from "./macros.ts";

/** What phones read at the machine: nothing else of the API is kept. */
const SEEN =
  /\/api\/(me|parts|parts\/\d+|parts\/\d+\/(picture|recipes|insight)|shelf|house-rules|endings|recipes\/\d+\/(findings|layers|first-layer|strokes(\/\d+\/\d+)?)|flow-tests(\/\d+)?|flow-points\/\d+\/photo|runs|runs\/\d+(\/(tag|since|causes|chain))?|run-photos\/\d+(\/thumbnail)?|faults|journal|fault-rates|calibrations|machines\/\d+\/calibration|experiments(\/\d+)?|day|day\/spools|queue|hours|plates(\/\d+)?)(\?.*)?$/;

export default defineConfig({
  plugins: [
    react(),
    macros(),
    lingui(),
    tailwindcss(),
    VitePWA({
      injectRegister: null, // by lib/offline.ts, and only where a network is served
      registerType: "autoUpdate",
      filename: "sw.js",
      includeAssets: ["bead.svg"],
      manifest: {
        name: "Mean Bead",
        short_name: "Mean Bead",
        description: "Settings for filament printing, with true times and grams",
        start_url: "/",
        display: "standalone",
        background_color: "#fdfbf6",
        theme_color: "#fdfbf6",
        icons: [{ src: "/bead.svg", sizes: "any", type: "image/svg+xml" }],
      },
      workbox: {
        globPatterns: ["**/*.{js,css,html,svg,woff2}"],
        maximumFileSizeToCacheInBytes: 4_000_000,
        navigateFallback: "/index.html",
        navigateFallbackDenylist: [/^\/(api|run)\//],
        cleanupOutdatedCaches: true,
        runtimeCaching: [
          {
            // A run's own small page, as its label's code opens it.
            urlPattern: ({ request, url }) => request.mode === "navigate" && /^\/run\/\d+$/.test(url.pathname),
            handler: "NetworkFirst",
            options: { cacheName: "runs", networkTimeoutSeconds: 5, expiration: { maxEntries: 40, maxAgeSeconds: 30 * 86_400 } },
          },
          {
            urlPattern: SEEN,
            handler: "NetworkFirst",
            options: {
              cacheName: "seen",
              networkTimeoutSeconds: 5,
              expiration: { maxEntries: 300, maxAgeSeconds: 7 * 86_400, purgeOnQuotaError: true },
              cacheableResponse: { statuses: [200] },
              plugins: [
                {
                  // What is stored carries when that was, so that a page can tell it from an answer (src/lib/connection.ts).
                  // eslint-disable-next-line @typescript-eslint/require-await -- as the service worker's library wants it
                  cacheWillUpdate: async ({ response }) => {
                    if (response.status !== 200) return null;
                    const headers = new Headers(response.headers);
                    headers.set("X-Kept-At", new Date().toISOString());
                    return new Response(response.body, { status: response.status, statusText: response.statusText, headers });
                  },
                },
              ],
            },
          },
        ],
      },
    }),
  ],
  build: { rollupOptions: { input: ["index.html", "run.html"] }, outDir: "../meanbead/pages", emptyOutDir: true, target: "es2022", assetsInlineLimit: 0, sourcemap: false, reportCompressedSize: false, chunkSizeWarningLimit: 900 },
  server: { proxy: { "/api": "http://127.0.0.1:8420" } },
});
