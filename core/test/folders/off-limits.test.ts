import { describe, expect, it } from "vitest";
import {
  defaultOffLimits,
  editedOffLimits,
  isInPlaces,
  refuseOffLimits,
  whyOffLimits,
} from "../../src/engine/upkeep/off-limits";

const limits = defaultOffLimits("/home/ines", "/home/ines/apps/eremos", "/home/ines/.local/share/eremos");
const home = ["/home/ines"];

describe("off-limits", () => {
  it.each([
    "/",
    "/etc",
    "/usr/share/fonts",
    "/home",
    "/home/ines",
    "/tmp",
    "/home/ines/.config",
    "/home/ines/.local",
    "/home/ines/apps",
    "/home/ines/apps/eremos/core",
    "/home/ines/.local/share/eremos/open",
  ])("%s can't be locked, and it is said why", (path) => {
    expect(whyOffLimits(path, limits, home)).toEqual(expect.any(String));
    expect(() => refuseOffLimits(Buffer.from(path), limits, home)).toThrow(
      expect.objectContaining({ code: "off-limits" }),
    );
  });

  it.each(["/home/ines/Payroll", "/home/ines/.private", "/home/ines/apps/notes", "/tmp/x/y"])(
    "%s can be, inside the places",
    (path) => {
      expect(whyOffLimits(path, limits, [...home, "/tmp/x"])).toBeNull();
      expect(isInPlaces(path, [...home, "/tmp/x"])).toBe(true);
    },
  );

  it("is edited by its owner: paths and patterns are added, defaults taken off, but never what is critical", () => {
    const added = [
      { path: "/home/ines/Shared", reason: "everybody works in it" },
      { path: "/home/**/*.git", reason: "a repository" },
      { path: "/home/ines/Pro?ects", reason: "" },
    ];
    const edited = editedOffLimits(limits, { added, removed: ["/home/ines/.config", "/etc", "/home"] });
    expect(whyOffLimits("/home/ines/.config", limits, home)).not.toBeNull();
    expect(whyOffLimits("/home/ines/.config", edited, home)).toBeNull();
    for (const path of [
      "/etc/ssh",
      "/home",
      "/home/ines/Shared",
      "/home/ines/Shared/deep/er",
      "/home/ines/bench/violin.git",
      "/home/ines/bench/violin.git/objects",
      "/home/ines/Projects",
    ])
      expect(whyOffLimits(path, edited, home), path).not.toBeNull();
    for (const path of ["/home/ines/Shared too", "/home/ines/bench/violin.gits", "/home/ines/Payroll"])
      expect(whyOffLimits(path, edited, home), path).toBeNull();
  });

  it("keeps to the places, and takes a place inside the program's directory as the exception it is", () => {
    expect(() => refuseOffLimits(Buffer.from("/srv/shared/x"), limits, home)).toThrow(
      expect.objectContaining({ code: "outside-places" }),
    );
    const world = "/home/ines/apps/eremos/.demo/world";
    expect(whyOffLimits(`${world}/Payroll`, limits, [world])).toBeNull();
    expect(whyOffLimits(world, limits, [world])).not.toBeNull();
    expect(whyOffLimits("/home/ines/apps/eremos/.demo", limits, [world])).not.toBeNull();
  });
});
