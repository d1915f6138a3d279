import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

export default defineConfig({
  plugins: [react(), tailwindcss()],
  // ./dev: the page comes from here, all else from the running Etiquette, which answers only its own origin
  server: {
    strictPort: true,
    proxy: process.env.ETIQUETTE_API
      ? { "/api": { target: process.env.ETIQUETTE_API, changeOrigin: true, headers: { origin: process.env.ETIQUETTE_API } } }
      : undefined,
  },
  build: { target: "es2022", chunkSizeWarningLimit: 900, assetsInlineLimit: 0 },
});
