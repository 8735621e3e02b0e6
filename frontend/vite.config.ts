import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

export default defineConfig({
  plugins: [react()],
  build: { outDir: "../aurelon/web/static", emptyOutDir: true, chunkSizeWarningLimit: 1200 },
  server: { proxy: { "/api": { target: "http://127.0.0.1:8420", ws: true } } },
});
