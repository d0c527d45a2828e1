import { readdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { brotliCompressSync } from "node:zlib";
import { svelte } from "@sveltejs/vite-plugin-svelte";
import tailwindcss from "@tailwindcss/vite";
import { defineConfig, type Plugin } from "vite";

const OUT = "../src/cuvrel/web/static";

/** Lays a packed twin (Brotli, RFC 7932) beside each script and style, for browsers that take it. */
function packed(): Plugin {
  return {
    name: "packed",
    apply: "build",
    closeBundle() {
      const folder = join(import.meta.dirname, OUT, "assets");
      for (const name of readdirSync(folder))
        if (/\.(js|css)$/.test(name))
          writeFileSync(
            join(folder, `${name}.br`),
            brotliCompressSync(readFileSync(join(folder, name))),
          );
    },
  };
}

export default defineConfig({
  plugins: [tailwindcss(), svelte(), packed()],
  build: { outDir: OUT, emptyOutDir: true, assetsInlineLimit: 0 },
  server: { proxy: { "/api": "http://127.0.0.1:8017" } },
});
