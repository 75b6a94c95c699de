import { describe, expect, it } from "vitest";
import { axisName, bytes, clock, day, digits, moment, plain, rate, short, span } from "../../src/ui/format";

const bare = (text: string) => text.replaceAll("\u202f", " ");

describe("numbers as an engineer reads them", () => {
  it("has four digits, thin groups and a real minus", () => {
    expect(bare(digits(12_345.678))).toBe("12 346");
    expect(bare(digits(-1234.5678))).toBe("\u22121235");
    expect(digits(0.012_345)).toBe("0.01235");
    expect(digits(1.2e-6, 2)).toBe("1.2×10⁻⁶");
    expect(digits(2.5e7, 2)).toBe("2.5×10⁷");
    expect(digits(Number.NaN)).toBe("–");
    expect(digits(0)).toBe("0");
  });

  it("loses no zeros that count and keeps none that do not", () => {
    expect(short(100)).toBe("100");
    expect(short(0.25)).toBe("0.25");
    expect(short(2.5e7, 3)).toBe("2.5×10⁷");
    expect([1e-5, -1e-5, 2e-5].map((x) => short(x))).toEqual(["10⁻⁵", "−10⁻⁵", "2×10⁻⁵"]);
    expect(plain(0.1 + 0.2)).toBe("0.3");
  });

  it("tells times, rates and sizes in their usual units", () => {
    expect(bare(span(90))).toBe("90 s");
    expect(bare(span(8100))).toBe("2 h 15 min");
    expect(bare(span(200_000))).toBe("2 days");
    expect(clock(3725.25)).toBe("01:02:05.3");
    expect([rate(51_200), rate(500)].map(bare)).toEqual(["51.2 kHz", "500 Hz"]);
    expect(bare(bytes(149_000_000))).toBe("149 MB");
    expect(bytes(undefined)).toBe("unknown");
  });
});

describe("days and names", () => {
  it("writes a day in one way everywhere", () => {
    const at = new Date(2026, 10, 9, 7, 5, 3).getTime();
    expect(day(at)).toBe("2026-11-09");
    expect(moment(at)).toBe("2026-11-09 07:05");
    expect(moment(at, true)).toBe("2026-11-09 07:05:03");
  });

  it("leaves out what is missing of an axis", () => {
    expect([axisName("speed", "rpm"), axisName("order", ""), axisName(undefined, "m/s²")]).toEqual([
      "speed, rpm",
      "order",
      "m/s²",
    ]);
  });
});
