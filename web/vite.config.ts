import tailwind from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";
import { smallSigns } from "./fonts";
import { packed } from "./pack";

export default defineConfig({
  plugins: [react(), tailwind(), smallSigns(), packed()],
  server: { proxy: { "/api": { target: "http://127.0.0.1:7400", ws: true } } },
  build: { assetsInlineLimit: 0, chunkSizeWarningLimit: 1500 },
});
