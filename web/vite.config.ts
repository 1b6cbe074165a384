import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

// `npm run dev` serves the pages with a running service behind them.
const service = process.env.RICETTA_SERVER ?? "http://127.0.0.1:8440";

export default defineConfig({
  plugins: [react(), tailwindcss()],
  build: { outDir: "dist/app", emptyOutDir: true, sourcemap: false, chunkSizeWarningLimit: 900 },
  server: { proxy: { "/api": service } },
  test: { environment: "jsdom", globals: true, setupFiles: ["src/vitest.setup.ts"], testTimeout: 60_000 },
});
