/** The font of signs and formulas holds thousands of characters of which a few hundred can appear: the others stay out. */
import subsetFont from "subset-font";
import type { Plugin } from "vite";

/** First and last of the blocks that names, units, formulas and the page's own signs are written with. */
const blocks = [
  [0x20, 0x7e],
  [0xa0, 0xff],
  [0x370, 0x3ff],
  [0x1d00, 0x1dbf],
  [0x2010, 0x205f],
  [0x2070, 0x209f],
  [0x2100, 0x214f],
  [0x2190, 0x21ff],
  [0x2200, 0x22ff],
  [0x2300, 0x23ff],
  [0x25a0, 0x25ff],
] as const;

const characters = blocks
  .flatMap(([first, last]) => Array.from({ length: last - first + 1 }, (_, i) => String.fromCodePoint(first + i)))
  .join("");

export const smallSigns = (): Plugin => ({
  name: "small-signs",
  async generateBundle(_, bundle) {
    for (const [name, file] of Object.entries(bundle)) {
      if (file.type !== "asset" || !name.includes("stix-two-math")) continue;
      // Every browser that the page runs in reads woff2.
      if (name.endsWith(".woff2"))
        file.source = await subsetFont(Buffer.from(file.source), characters, { targetFormat: "woff2" });
    }
  },
});
