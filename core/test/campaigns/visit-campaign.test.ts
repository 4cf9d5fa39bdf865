import * as fs from "node:fs";
import * as path from "node:path";
import { describe, expect, it } from "vitest";
import { EremosError } from "../../src/errors/eremos-error";
import { locateFolder } from "../../src/engine/upkeep/locate";
import { recoverFolder } from "../../src/engine/guards/recover";
import { Visit } from "../../src/engine/visiting/visit";
import type { DirNode } from "../../src/engine/visiting/visit-tree";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import type { Disk } from "../../src/platform/port";
import { crashingDisk, failingDisk } from "../support/crashing-disk";
import { type Place, usePlace } from "../support/place";
import { campaignDirectory } from "../support/scenes";
import { FOLDER, account, dirAt, name, onDisk, put, shown } from "../support/visiting";
import { SEED, randomFrom, strided } from "../support/stride";
import { lock, makeMixedTree, release, unlock } from "../support/world";

const DEEP = process.env["EREMOS_DEEP"] === "1";
const [CHANGES, CALLS] = [strided(47), strided(157)];

let { person, folder } = {} as Place;
usePlace((place) => ({ person, folder } = place), campaignDirectory);

const visit = (disk: Disk = linuxDisk, keepEarlier = 0): Promise<Visit> =>
  Visit.open(disk, {
    path: Buffer.from(folder),
    access: person.access,
    keptHeader: null,
    expected: null,
    accept: [],
    account,
    keepEarlier,
  });

const EDITS = ["put", "replace", "remove", "makeDir", "move", "copy", "undo"] as const;

/** One of the changes a person makes, at random; the model is what the visit itself showed before. */
function edit(of: Visit, random: () => number): void {
  const dirs: DirNode[] = [];
  const collect = (dir: DirNode): void => {
    dirs.push(dir);
    for (const node of of.list(dir)) if (node.kind === "dir") collect(node);
  };
  collect(of.root);
  const any = <T>(from: readonly T[]): T => from[Math.floor(random() * from.length)] as T;
  const [dir, other] = [any(dirs), any(dirs)];
  const node = any(of.list(dir));
  const fresh = name(`new ${Math.floor(random() * 1e6)}`);
  const pathOf = (at: DirNode): Buffer[] => (at.parent ? [...pathOf(at.parent), at.name] : []);
  const write = (as: Buffer): void => {
    const content = Buffer.alloc(Math.floor(random() ** 3 * 1_500_000), Math.floor(random() * 256));
    const upload = of.write(pathOf(dir), as, random() < 0.5 ? content.length : null);
    upload.append(content);
    of.add(dir, upload.finish());
  };
  const kind = any(EDITS);
  if (kind === "put" || !node) write(fresh);
  else if (kind === "replace" && node.kind === "file") write(node.name);
  else if (kind === "remove") of.remove(dir, node.name);
  else if (kind === "makeDir") of.makeDir(dir, fresh);
  else if (kind === "move")
    try {
      of.move(dir, node.name, other, fresh);
    } catch (error) {
      expect(String(error)).toContain("into itself");
    }
  else if (kind === "copy") of.copy(node, of.root, fresh);
}

it.each(Array.from({ length: DEEP ? 40 : 2 }, (_, at) => SEED + at))(
  "random changes, seed %i: what a visit shows is what an opening brings",
  async (seed) => {
    makeMixedTree(folder);
    const random = randomFrom(seed);
    await lock(folder, seed % 2 === 0 ? person.owner : person.device, { folder: FOLDER });
    for (let round = 0; round < 3; round++) {
      const visiting = await visit(linuxDisk, seed % 3);
      const states = [shown(visiting)];
      for (let i = 0; i < 12; i++) {
        edit(visiting, random);
        if (random() < 0.7) {
          const before = visiting.committed.generation;
          visiting.commit();
          if (visiting.committed.generation > before) states.push(shown(visiting));
        }
      }
      visiting.commit();
      if (JSON.stringify(states.at(-1)) !== JSON.stringify(shown(visiting))) states.push(shown(visiting));
      if (random() < 0.5 && visiting.undoable > 0) {
        visiting.undo();
        states.pop();
        expect(shown(visiting)).toEqual(states.at(-1));
      }
      const now = shown(visiting);
      visiting.close();
      const again = await visit();
      expect(shown(again)).toEqual(now);
      again.close();
      const { note } = await unlock(folder, person.access);
      expect(onDisk(folder)).toEqual(now);
      await lock(folder, person.owner, { folder: FOLDER, note, keepEarlier: seed % 3 });
    }
  },
);

/** Changes, one after the other, each with its commit; what is shown after each. */
async function changes(on: Disk, seen: string[][]): Promise<void> {
  const visiting = await visit(on, 1);
  const step = (change: () => void): void => {
    change();
    visiting.commit();
    seen.push(shown(visiting));
  };
  try {
    seen.push(shown(visiting));
    step(() => put(visiting, [], "large.bin", Buffer.alloc(1_200_000, "l")));
    step(() => put(visiting, ["inner"], "letter.txt", Buffer.from("Dear Mara"), null));
    step(() => visiting.move(visiting.root, name("inner"), visiting.root, name("outer")));
    step(() => visiting.remove(dirAt(visiting, "outer"), name("letter.txt")));
    step(() => visiting.undo());
  } finally {
    visiting.close();
  }
}

async function sealSmall(): Promise<void> {
  fs.mkdirSync(path.join(folder, "inner"));
  fs.writeFileSync(path.join(folder, "inner", "letter.txt"), "Dear Jonas");
  await lock(folder, person.owner, { folder: FOLDER });
}

/** What is shown after each change, where nothing goes wrong; the folder is empty again afterwards. */
async function expectedStates(): Promise<string[][]> {
  const states: string[][] = [];
  await sealSmall();
  await changes(linuxDisk, states);
  emptyFolder();
  return states;
}

function emptyFolder(): void {
  fs.rmSync(folder, { recursive: true });
  fs.mkdirSync(folder);
}

/** What the folder holds now, by a new visit and by opening it, which must agree. */
async function contentsNow(): Promise<string[]> {
  recoverFolder(linuxDisk, locateFolder(linuxDisk, Buffer.from(folder), FOLDER)?.realPath ?? Buffer.from(folder));
  const again = await visit();
  const now = shown(again);
  again.close();
  await release(folder, person.access);
  expect(onDisk(folder)).toEqual(now);
  return now;
}

describe.each(["before", "after", "torn"] as const)(`killed at ${CHANGES.of("operation")} of a visit, %s`, (mode) => {
  it("the folder is as it was before the change, or after it", async () => {
    const states = await expectedStates();
    for (let at = CHANGES.from; ; at += CHANGES.step) {
      await sealSmall();
      const crashing = crashingDisk(linuxDisk, at, mode);
      const seen: string[][] = [];
      await changes(crashing.disk, seen).catch((error: unknown) => {
        if (!crashing.crashed()) throw error;
      });
      const now = await contentsNow();
      expect([states[Math.max(0, seen.length - 1)], states[seen.length]], `crash at operation ${at}`).toContainEqual(
        now,
      );
      if (!crashing.crashed()) return;
      emptyFolder();
    }
  });
});

describe.each(["EIO", "ENOSPC"] as const)(`${CALLS.of("call")} fails with %s`, (code) => {
  it("the change is refused and the folder is as it was before it, or it is made", async () => {
    const states = await expectedStates();
    for (let at = CALLS.from; ; at += CALLS.step) {
      await sealSmall();
      const failing = failingDisk(linuxDisk, at, code);
      const seen: string[][] = [];
      const failure = await changes(failing.disk, seen).then(
        () => null,
        (error: unknown) => error,
      );
      if (failure !== null && !(failure instanceof EremosError)) expect(failure).toMatchObject({ code });
      const now = await contentsNow();
      expect(
        [states[Math.max(0, seen.length - 1)], states[seen.length]],
        `call ${at} (${failing.failed()})`,
      ).toContainEqual(now);
      if (failing.failed() === null) return;
      emptyFolder();
    }
  });
});

it.each(["before", "after"] as const)(
  `killed at ${CHANGES.of("operation")} of a visit (%s), the folder opens, and can be locked again as it is`,
  async (mode) => {
    for (let at = CHANGES.from; ; at += CHANGES.step) {
      await sealSmall();
      const crashing = crashingDisk(linuxDisk, at, mode);
      await changes(crashing.disk, []).catch((error: unknown) => {
        if (!crashing.crashed()) throw error;
      });
      recoverFolder(linuxDisk, Buffer.from(folder));
      const { note } = await unlock(folder, person.access);
      const before = onDisk(folder);
      await lock(folder, person.owner, { folder: FOLDER, note });
      expect(await contentsNow(), `killed at ${at}`).toEqual(before);
      if (!crashing.crashed()) return;
      emptyFolder();
    }
  },
);

it("a state record that is in its place, and could not be made durable, takes nothing with it that it names", async () => {
  const states = await expectedStates();
  for (let which = 0; ; which++) {
    await sealSmall();
    let [written, failed] = [0, false];
    const disk = new Proxy(linuxDisk, {
      get: (target, property: keyof Disk) =>
        property !== "syncDir" && property !== "rename"
          ? target[property]
          : (...args: unknown[]): unknown => {
              if (property === "rename" && /^state-[0-9a-f]+\.json$/.test(String(args[3]))) written++;
              if (property !== "syncDir" || failed || written <= which)
                return Reflect.apply(target[property] as () => unknown, target, args);
              failed = true;
              throw Object.assign(new Error("EIO"), { code: "EIO" });
            },
    });
    const seen: string[][] = [];
    await changes(disk, seen).catch((error: unknown) =>
      expect(error).toMatchObject({ code: expect.stringMatching(/^(EIO|io)$/) }),
    );
    expect([states[Math.max(0, seen.length - 1)], states[seen.length]], `record ${which}`).toContainEqual(
      await contentsNow(),
    );
    if (!failed) return;
    emptyFolder();
  }
});
