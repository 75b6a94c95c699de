/** What the page loads is packed once, as well as it goes, instead of quickly at every request. */
import { readdir, readFile, writeFile } from "node:fs/promises";
import { join } from "node:path";
import { promisify } from "node:util";
import { brotliCompress, gzip } from "node:zlib";
import type { Plugin } from "vite";

/** Below so many bytes nothing is won. */
const LEAST = 1024;

export const packed = (): Plugin => {
  let folder = "";
  return {
    name: "packed",
    apply: "build",
    configResolved(config) {
      folder = join(config.root, config.build.outDir, config.build.assetsDir);
    },
    async closeBundle() {
      const files = (await readdir(folder)).filter((f) => /\.(js|css)$/.test(f));
      const pack = async (file: string) => {
        const bytes = await readFile(join(folder, file));
        if (bytes.length < LEAST) return;
        // Browsers ask for Brotli over https and on this machine, elsewhere for gzip.
        await writeFile(join(folder, `${file}.br`), await promisify(brotliCompress)(bytes));
        await writeFile(join(folder, `${file}.gz`), await promisify(gzip)(bytes, { level: 9 }));
      };
      await Promise.all(files.map(pack));
    },
  };
};
