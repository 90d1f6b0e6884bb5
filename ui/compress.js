// Compressed once, when the pages are built, rather than at every request: api/pages.py sends what a browser takes.
import { readdirSync, readFileSync, writeFileSync } from "node:fs";
import { URL } from "node:url";
import { brotliCompressSync, gzipSync } from "node:zlib";

const FOLDER = new URL("../meanbead/pages/assets/", import.meta.url);

for (const name of readdirSync(FOLDER).filter((one) => /\.(js|css)$/.test(one))) {
  const text = readFileSync(new URL(name, FOLDER));
  writeFileSync(new URL(`${name}.br`, FOLDER), brotliCompressSync(text)); // at its best, unless told otherwise
  writeFileSync(new URL(`${name}.gz`, FOLDER), gzipSync(text, { level: 9 }));
}
