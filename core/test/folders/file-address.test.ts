import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { fileAddress, pathInAddress, percentDecoded, percentEncoded } from "../../src/engine/ground/file-address";

const bytes = fc.uint8Array({ min: 1, max: 255, maxLength: 60 }).map((names) => Buffer.from([0x2f, ...names]));

describe("an address of a file", () => {
  it("gives the same path back, whatever bytes are in it, and holds plain characters only", () => {
    fc.assert(
      fc.property(bytes, (path) => {
        const address = fileAddress(path);
        expect(address).toMatch(/^file:\/\/\/[A-Za-z0-9\-_.~/%]*$/);
        expect(pathInAddress(address)).toEqual(path);
        expect(percentDecoded(percentEncoded(path))).toEqual(path);
      }),
    );
  });

  it("is read as other programs write it: by another set of characters, with a host that is this computer, in small letters", () => {
    expect(pathInAddress("file:///home/it's%20(here)!/%c3%A9")?.toString()).toBe("/home/it's (here)!/é");
    expect(pathInAddress("file://localhost/tmp")?.toString()).toBe("/tmp");
    expect(pathInAddress("file:///tmp/é")?.toString()).toBe("/tmp/é");
  });

  it("is none of another computer, of another kind, with a zero byte, or without a whole path", () => {
    for (const other of [
      "file://elsewhere/tmp",
      "http://localhost/tmp",
      "file:tmp",
      "/tmp",
      "file:///a%00b",
      "file:///a?b",
      "",
    ])
      expect(pathInAddress(other), other).toBeNull();
  });
});
