import * as fs from "node:fs";
import * as path from "node:path";
import { execFileSync } from "node:child_process";
import { afterAll, afterEach, beforeAll, describe, expect, it } from "vitest";
import { STAGES, campaignDirectory, expectWhole, plainAfterRecovery } from "../support/scenes";
import { SEED, randomFrom } from "../support/stride";
import { CAN_LISTEN } from "../support/system-calls";
import { CAN_MOUNT, Drive } from "../support/mounts";
import { Watched } from "../support/watched";
import { lock, makeMixedTree, newPerson, removeDirectory, snapshot } from "../support/world";

/**
 * Real file systems, cut off in the middle of the work: images taken while it is under way, and file systems that give
 * up.
 */
const DEEP = process.env["EREMOS_DEEP"] === "1";
const [SNAPSHOTS, SHUTDOWNS] = DEEP ? [4, 2] : [3, 1];
const DAILY = 25;

let watched: Watched;
let images: string;
let drive: Drive | null = null;
const counts = { snapshots: 0, shutdowns: 0 };
beforeAll(async () => {
  watched = await Watched.make();
  images = campaignDirectory();
});
afterEach(() => {
  drive?.remove();
  drive = null;
});
afterAll(() => {
  watched.remove();
  removeDirectory(images);
  process.stdout.write(
    `images taken in the middle of the work: ${counts.snapshots}, file systems shut down: ${counts.shutdowns} (seed ${SEED})\n`,
  );
});

const names = Object.keys(STAGES);
const chosen = DEEP ? names : names.filter((_name, i) => i % DAILY === SEED % DAILY);

function plugIn(kind: "ext4" | "xfs"): Drive {
  return (drive = new Drive(kind, kind === "xfs" ? 320 : 48, images));
}

describe.runIf(CAN_MOUNT && CAN_LISTEN)(
  `the power fails under a real file system, ${DEEP ? "every scene" : `every ${DAILY}th scene`}, seed ${SEED}`,
  () => {
    it.each(chosen)(
      `%s: up to ${SNAPSHOTS} images taken in the middle of it, each of them whole when it is mounted`,
      async (stage) => {
        const random = randomFrom(SEED + names.indexOf(stage));
        const on = plugIn("ext4");
        const taken: string[] = [];
        // Early at first: how many changes there are is not known, and a repair makes few.
        let next = Math.floor(random() * 4);
        const { status, scene } = await watched.play(
          stage,
          on.at,
          (_call, before) => {
            if (before === next && taken.length < SNAPSHOTS) {
              // Some of what was not made durable comes to the disk all the same.
              if (random() < 0.5) execFileSync("sync", ["-f", on.at]);
              const image = path.join(images, `snapshot ${taken.length}`);
              on.copyImage(image);
              taken.push(image);
              next += 1 + Math.floor(random() * 30);
            }
            return "through";
          },
          () => void execFileSync("sync", ["-f", on.at]),
        );
        expect(status).toBe(0);
        for (const image of taken) {
          on.insert(image);
          counts.snapshots++;
          expectWhole(
            scene,
            await plainAfterRecovery(watched.person, scene.folder),
            path.basename(image),
            "but its time",
          );
        }
        expect(taken.length).toBeGreaterThan(0);
      },
    );

    it.each((["ext4", "xfs"] as const).flatMap((kind) => chosen.map((stage) => [kind, stage] as const)))(
      "%s gives up in the middle of: %s. It is said, and everything is whole when it is mounted anew",
      async (kind, stage) => {
        const random = randomFrom(SEED + names.indexOf(stage));
        for (let round = 0; round < SHUTDOWNS; round++) {
          const on = plugIn(kind);
          const when = Math.floor(random() * 60);
          let isDown = false;
          const { status, errors, scene } = await watched.play(
            stage,
            on.at,
            (_call, before) => {
              if (before === when) {
                on.shutDown();
                isDown = true;
              }
              return "through";
            },
            () => void execFileSync("sync", ["-f", on.at]),
          );
          expect([status, errors], `at change ${when}`).toEqual([expect.toBeOneOf(isDown ? [0, 3] : [0]), ""]);
          if (isDown) {
            counts.shutdowns++;
            on.replug("drive");
          }
          expectWhole(
            scene,
            await plainAfterRecovery(watched.person, scene.folder),
            `at change ${when}`,
            "but its time",
          );
          on.remove();
        }
      },
    );
  },
);

it.runIf(CAN_MOUNT)(
  "a disk with room, and no inode left, is full: the lock says so, and everything is at its place",
  async () => {
    const on = plugIn("ext4");
    const folder = path.join(on.at, "Payroll");
    fs.mkdirSync(folder);
    makeMixedTree(folder);
    const fill = path.join(on.at, "fill");
    fs.mkdirSync(fill);
    const made = (i: number): boolean => {
      try {
        fs.closeSync(fs.openSync(path.join(fill, `file ${i}`), "wx"));
        return true;
      } catch {
        return false;
      }
    };
    for (let i = 0; made(i); i++);
    const before = snapshot(folder);
    const person = await newPerson();
    await expect(lock(folder, person.owner)).rejects.toMatchObject({ code: "no-space" });
    expect(snapshot(folder)).toEqual(before);
    for (let i = 0; i < 8; i++) fs.rmSync(path.join(fill, `file ${i}`));
    await expect(lock(folder, person.owner)).rejects.toMatchObject({ code: "no-space" });
    expect(snapshot(folder)).toEqual(before);
  },
);
