import { readFile, readdir, writeFile } from "node:fs/promises";
import { gzipSync } from "node:zlib";
import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

/** Leave a compressed twin beside each script and style, which the server sends in its place. */
const packed = {
  name: "packed",
  async closeBundle() {
    const folder = new URL("dist/assets/", import.meta.url);
    for (const name of await readdir(folder)) {
      if (!/\.(js|css)$/.test(name)) continue;
      await writeFile(
        new URL(`${name}.gz`, folder),
        gzipSync(await readFile(new URL(name, folder)), { level: 9 }),
      );
    }
  },
};

export default defineConfig({
  plugins: [react(), tailwindcss(), packed],
  build: { assetsInlineLimit: 0, chunkSizeWarningLimit: 700 },
  server: { proxy: { "/api": "http://127.0.0.1:8765" } },
});
