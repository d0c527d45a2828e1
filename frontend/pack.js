/* Lays a packed twin (Brotli, RFC 7932) beside each script and style, for browsers that take it. */
import { readdirSync, readFileSync, writeFileSync } from "node:fs";
import { brotliCompressSync } from "node:zlib";

const folder = new URL("../src/cuvrel/web/static/assets/", import.meta.url);
for (const name of readdirSync(folder).filter((one) => /\.(js|css)$/.test(one)))
  writeFileSync(
    new URL(`${name}.br`, folder),
    brotliCompressSync(readFileSync(new URL(name, folder))),
  );
