import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeAll, describe, expect, it } from "vitest";
import { guardFolder } from "../support/guarding";
import { silentHooks } from "../../src/engine/ground/hooks";
import { NO_BARS } from "../../src/format/guards";
import { newId } from "../../src/format/ids";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { CAN_MOUNT, Overlay } from "../support/mounts";
import { type Person, lock, newPerson, release, snapshot, unlock } from "../support/world";

let person: Person;
let overlay: Overlay;
let folder: string;
beforeAll(async () => {
  person = await newPerson();
});
afterEach(() => overlay.remove());

function makeTree(at: string): void {
  fs.mkdirSync(path.join(at, "inner", "deeper"), { recursive: true });
  fs.writeFileSync(path.join(at, "letter.txt"), "Dear Jonas");
  fs.writeFileSync(path.join(at, "inner", "large.bin"), Buffer.alloc(1_100_000, "large"));
  fs.writeFileSync(path.join(at, "inner", "deeper", "note"), "note");
}

function layered(lowerOn: "same" | "other"): void {
  overlay = new Overlay(lowerOn, (lower) => makeTree(path.join(lower, "Payroll")));
  folder = path.join(overlay.at, "Payroll");
}

describe.runIf(CAN_MOUNT).each(["view", "hidden"] as const)("on a layered file system, %s", (visibility) => {
  it.each(["same", "other"] as const)(
    "a folder of the lower layer, on the %s disk, is refused in words, sealed or out of sight, and stays as it is",
    async (lowerOn) => {
      layered(lowerOn);
      fs.writeFileSync(path.join(folder, "inner", "new.txt"), "in the upper layer");
      const before = snapshot(folder);
      const refused = {
        code: "unsupported",
        message: expect.stringMatching(/layered file system.*copy the folder, lock the copy/),
      };
      await expect(lock(folder, person.owner, { visibility })).rejects.toMatchObject(refused);
      if (visibility === "hidden")
        await expect(
          guardFolder(
            linuxDisk,
            {
              guard: "sight",
              bars: NO_BARS,
              visibility,
              path: Buffer.from(folder),
              folder: newId(),
              owner: person.owner.owner,
              places: [Buffer.from(overlay.at)],
            },
            silentHooks,
          ),
        ).rejects.toMatchObject(refused);
      expect(snapshot(folder)).toEqual(before);
    },
  );

  it("a folder of the upper layer is locked, opened, locked again and released", async () => {
    layered("same");
    folder = path.join(overlay.at, "Desk");
    makeTree(folder);
    const before = snapshot(folder);
    const first = await lock(folder, person.owner, { visibility });
    const { note } = await unlock(first.realPath, person.access);
    const again = await lock(folder, person.owner, { visibility, folder: first.folder, note });
    await release(again.realPath, person.access);
    expect(snapshot(folder)).toEqual(before);
  });
});
