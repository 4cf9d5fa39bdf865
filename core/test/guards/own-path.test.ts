import * as fs from "node:fs";
import * as path from "node:path";
import { expect, it } from "vitest";
import { guardFolder, openGuarded, releaseGuarded } from "../support/guarding";
import { silentHooks } from "../../src/engine/ground/hooks";
import { locateFolder } from "../../src/engine/upkeep/locate";
import { NO_BARS } from "../../src/format/guards";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import type { Disk } from "../../src/platform/port";
import { crashingDisk } from "../support/crashing-disk";
import { type Place, usePlace } from "../support/place";
import { FOLDER } from "../support/scene";
import { campaignDirectory } from "../support/scenes";
import { strided } from "../support/stride";
import { lock, release, removeDirectory, unlock } from "../support/world";

const CHANGES = strided(13);

let { person, base } = {} as Place;
usePlace((place) => ({ person, base } = place), campaignDirectory);

type Visibility = "hidden" | "tucked";
type Work = (disk: Disk, folder: string, visibility: Visibility) => Promise<unknown>;

const guard = (disk: Disk, folder: string, visibility: Visibility): Promise<{ readonly path: Buffer }> =>
  guardFolder(
    disk,
    {
      guard: "sight",
      bars: NO_BARS,
      visibility,
      path: Buffer.from(folder),
      folder: FOLDER,
      owner: person.owner.owner,
      places: [Buffer.from(base)],
    },
    silentHooks,
  );
const place = (folder: string, now: Buffer): { readonly path: Buffer; readonly place: Buffer } => ({
  path: now,
  place: Buffer.from(folder),
});

const CUT: Record<
  string,
  {
    readonly work: Work;
    readonly open: (folder: string, now: Buffer) => Promise<{ readonly path: Buffer }>;
    readonly release: (folder: string, now: Buffer) => Promise<{ readonly path: Buffer }>;
  }
> = {
  "a lock": {
    work: (disk, folder, visibility) => lock(folder, person.owner, { disk, folder: FOLDER, visibility }),
    open: (_folder, now) => unlock(now, person.access),
    release: (_folder, now) => release(now, person.access),
  },
  "an opening": {
    work: async (disk, folder, visibility) =>
      unlock((await lock(folder, person.owner, { folder: FOLDER, visibility })).realPath, person.access, { disk }),
    open: (_folder, now) => unlock(now, person.access),
    release: (_folder, now) => release(now, person.access),
  },
  "putting it out of sight": {
    work: guard,
    open: async (folder, now) => openGuarded(linuxDisk, place(folder, now)),
    release: async (folder, now) => releaseGuarded(linuxDisk, place(folder, now)),
  },
  "opening it from out of sight": {
    work: async (disk, folder, visibility) =>
      await openGuarded(disk, place(folder, (await guard(linuxDisk, folder, visibility)).path)),
    open: async (folder, now) => openGuarded(linuxDisk, place(folder, now)),
    release: async (folder, now) => releaseGuarded(linuxDisk, place(folder, now)),
  },
};

/** Where nothing is to do any more. */
const DONE = ["not-protected", "not-locked"];

it.each(
  Object.keys(CUT).flatMap((cut) =>
    (["hidden", "tucked"] as const).flatMap((visibility) =>
      (["open", "release"] as const).map((verb) => ({ cut, visibility, verb })),
    ),
  ),
)(
  `$cut ($visibility) was cut off at ${CHANGES.of("change")}: $verb without a look between puts it at its own path`,
  async ({ cut, visibility, verb }) => {
    const how = CUT[cut];
    for (let at = CHANGES.from; how; at += CHANGES.step) {
      const parent = fs.mkdtempSync(path.join(base, "at-"));
      const folder = path.join(parent, "Payroll");
      fs.mkdirSync(path.join(folder, "inner"), { recursive: true });
      fs.writeFileSync(path.join(folder, "letter.txt"), "Dear Jonas");
      const crashing = crashingDisk(linuxDisk, at, "before");
      await how.work(crashing.disk, folder, visibility).catch(() => null);
      const now = locateFolder(linuxDisk, Buffer.from(folder), FOLDER)?.realPath;
      if (now && fs.existsSync(path.join(now.toString(), ".eremos"))) {
        const outcome = await how[verb](folder, now).then(
          (done) => done.path.toString(),
          (error: Error & { readonly code: string }) => error.code,
        );
        if (!DONE.includes(outcome)) expect(outcome, `cut off at ${at}`).toBe(folder);
        expect(fs.readFileSync(path.join(folder, "letter.txt"), "utf8"), `cut off at ${at}: ${outcome}`).toBe(
          "Dear Jonas",
        );
      }
      removeDirectory(parent);
      if (!crashing.crashed()) return;
    }
  },
);
