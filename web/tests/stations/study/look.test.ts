import { describe, expect, it } from "vitest";
import type { RunDetail } from "../../../src/api/client";
import { intoAddress, type Look, lookOf, noCursors, ofAddress } from "../../../src/stations/study/look";

const channel = (channel: number, unit: string) => ({ channel, recorded: { unit } });
const run = {
  sample_rate_hz: 51_200,
  clean_share: 0.4,
  channels: [channel(1, "V"), channel(2, "m/s²"), channel(3, "V"), channel(4, "V")],
} as unknown as RunDetail;

const look: Look = {
  channels: [7, 8],
  bracket: [1.25, 3.5],
  kept: [
    { name: "A", range: [0, 1] },
    { name: "B", range: [2.5, 4] },
  ],
  shown: { frequency: [0, 1400], speed: [600.5, 2690] },
  cursors: { ...noCursors, tool: "band", band: [500, 700], peaks: [{ name: "a", hz: 582.833 }] },
};

describe("a look in an address", () => {
  it("is read back as it was written", () => {
    expect(ofAddress(intoAddress("", look), lookOf(run))).toEqual(look);
  });

  it("leaves alone what else stands there", () => {
    const search = intoAddress("?over=4,5&by=speed&b=9_10&z.order=1_2", look);
    const params = new URLSearchParams(search);
    expect(params.get("over")).toBe("4,5");
    expect(params.get("b")).toBe("1.25_3.5");
    expect(params.has("z.order")).toBe(false);
  });

  it("is nothing where nothing is said, and the rest of it where some is wrong", () => {
    expect(ofAddress("?over=4", lookOf(run))).toEqual({});
    const odd = ofAddress("?ch=7,x&b=5_2&z.frequency=0_1400&cur={", lookOf(run));
    expect(odd).toEqual({ bracket: null, kept: [], shown: { frequency: [0, 1400] }, cursors: noCursors });
    for (const wrong of ['{"tool":"hammer"}', '{"band":[1]}', "[]", "null"]) {
      const search = `?ch=1&cur=${encodeURIComponent(wrong)}`;
      expect(ofAddress(search, lookOf(run)).cursors, wrong).toEqual(noCursors);
    }
  });

  it("begins with two channels of one unit, up to where it is free of aliases", () => {
    expect(lookOf(run)).toMatchObject({ channels: [1, 3], shown: { frequency: [0, 20_480] } });
  });
});
