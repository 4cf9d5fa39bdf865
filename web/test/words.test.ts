import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { ago, baseName, duration, formatBytes, parentOf } from "../lib/format";

const [SECOND, MINUTE, HOUR, DAY] = [1000, 60_000, 3_600_000, 86_400_000];

describe("numbers in words", () => {
  it("sizes have three digits at most, in the unit that they round to", () => {
    for (const [bytes, words] of [
      [0, "0 bytes"],
      [1, "1 byte"],
      [999, "999 bytes"],
      [1000, "1.0 KB"],
      [99_949, "99.9 KB"],
      [99_950, "100 KB"],
      [999_499, "999 KB"],
      [999_500, "1.0 MB"],
      [999_999_999, "1.0 GB"],
      [2_000_000_000, "2.0 GB"],
      [1_234_000_000_000_000, "1234 TB"],
    ] as const)
      expect([bytes, formatBytes(bytes)]).toEqual([bytes, words]);
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 999_000_000_000_000 }), (bytes) => {
        expect(formatBytes(bytes)).toMatch(/^(\d{1,3}|\d{1,2}\.\d) (byte|bytes|KB|MB|GB|TB)$/);
      }),
    );
  });

  it("durations never say sixty of the smaller unit, and never less than there is", () => {
    for (const [seconds, words] of [
      [0, "1 s"],
      [59, "59 s"],
      [59.2, "1 min"],
      [60, "1 min"],
      [61, "2 min"],
      [3541, "1 h"],
      [3600, "1 h"],
      [3601, "1 h 1 min"],
      [7141, "2 h"],
      [9000, "2 h 30 min"],
    ] as const)
      expect([seconds, duration(seconds)]).toEqual([seconds, words]);
    fc.assert(
      fc.property(fc.double({ min: 0, max: 1_000_000, noNaN: true }), (seconds) => {
        const said = duration(seconds);
        expect(said).not.toMatch(/\b60 (s|min)/);
        const [, hours = "0"] = /(\d+) h/.exec(said) ?? [];
        const [, minutes = "0"] = /(\d+) min/.exec(said) ?? [];
        const [, rest = "0"] = /(\d+) s$/.exec(said) ?? [];
        expect(3600 * Number(hours) + 60 * Number(minutes) + Number(rest)).toBeGreaterThanOrEqual(seconds);
      }),
    );
  });
});

describe("moments in words", () => {
  it("say how long ago, in the largest whole unit, and nothing of the future", () => {
    const now = Date.UTC(2026, 10, 28, 12);
    for (const [before, words] of [
      [0, "just now"],
      [59 * SECOND, "just now"],
      [MINUTE, "1 minute ago"],
      [59 * MINUTE, "59 minutes ago"],
      [HOUR, "1 hour ago"],
      [DAY - 1, "23 hours ago"],
      [DAY, "yesterday"],
      [3 * DAY, "3 days ago"],
      [30 * DAY - 1, "29 days ago"],
      [-5 * DAY, "just now"],
    ] as const)
      expect([before, ago(now - before, now)]).toEqual([before, words]);
    const noon = new Date(2026, 9, 3, 12).getTime();
    for (const days of [30, 400]) expect(ago(noon, noon + days * DAY)).toBe("3 October 2026");
  });
});

describe("paths", () => {
  it("have a name and a place, at the top too", () => {
    expect([baseName("/home/ines/Payroll"), parentOf("/home/ines/Payroll")]).toEqual(["Payroll", "/home/ines"]);
    expect([baseName("/Payroll"), parentOf("/Payroll"), baseName("/")]).toEqual(["Payroll", "/", "/"]);
  });
});
