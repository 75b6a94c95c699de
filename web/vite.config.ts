import tailwind from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

export default defineConfig({
  plugins: [react(), tailwind()],
  server: { proxy: { "/api": { target: "http://127.0.0.1:7400", ws: true } } },
  build: { assetsInlineLimit: 0, chunkSizeWarningLimit: 1500 },
});
