import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { changeFolderPassword, changeOwner, openFolderKey } from "../../src/engine/access/change-owner";
import { LEAST_COST } from "../../src/crypto/kdf";
import { dropInto, ownDirPlace } from "../../src/engine/slot/drop-in";
import { mendFolder } from "../../src/engine/upkeep/mend";
import { Visit } from "../../src/engine/visiting/visit";
import { setInsurance } from "../../src/insurance/insure";
import type { Locked } from "../../src/engine/guards/guard";
import { EremosError } from "../../src/errors/eremos-error";
import { closeToOthers } from "../../src/engine/upkeep/close-to-others";
import { changeVisibility } from "../support/guarding";
import type { OwnerAccess } from "../../src/engine/records/keys";
import { loadState } from "../../src/engine/records/states";
import {
  type GuardedInput,
  type Guarding,
  changeGuarded,
  guardFolder,
  openGuarded,
  releaseGuarded,
} from "../support/guarding";
import { silentHooks } from "../../src/engine/ground/hooks";
import { NO_BARS } from "../../src/format/guards";
import { HELD_NAME } from "../../src/engine/visibility/hide";
import { locateFolder } from "../../src/engine/upkeep/locate";
import type { OpenNote, Signer } from "../../src/engine/contents/sealing-input";
import { inspectFolder } from "../../src/engine/guards/inspect";
import { recoverFolder } from "../../src/engine/guards/recover";
import { releaseOpenFolder } from "../support/guarding";
import { DurableDisk } from "../../src/platform/memory/durable-disk";
import { MemoryDisk } from "../../src/platform/memory/memory-disk";
import type { Dir, Disk } from "../../src/platform/port";
import { crampedDisk, crashingDisk } from "../support/crashing-disk";
import { OWN_PASSWORD } from "../support/scene";
import { seen } from "../support/trees";
import { dirAt, put as upload } from "../support/visiting";
import { SEED, randomFrom, strided } from "../support/stride";
import { ICON, PAGE, type Person, lock, newPerson, release, unlock } from "../support/world";
import type { Visibility } from "../../src/format/choices";

const DEEP = process.env["EREMOS_DEEP"] === "1";
const SUBSETS = DEEP ? 12 : 2;
const CHANGES = strided(37);
const FOLDER = "0".repeat(32);
const HOME = Buffer.from("/home");
const PATH = Buffer.from("/home/Payroll");

let person: Person;
let tried = 0;
beforeAll(async () => {
  person = await newPerson();
});
afterAll(() => {
  process.stdout.write(`power cuts tried: ${tried} (seed ${SEED})\n`);
});

function put(disk: Disk, dir: Dir, name: string, content: Buffer | string, mode = 0o644): void {
  const file = disk.create(dir, Buffer.from(name), mode);
  const bytes = Buffer.from(content);
  disk.write(file, bytes, 0, bytes.length, 0);
  disk.closeFile(file);
}

function makeTree(disk: Disk): void {
  const root = disk.openRoot(Buffer.from("/"));
  disk.makeDir(root, Buffer.from("home"), 0o755);
  const home = disk.openRoot(HOME);
  disk.makeDir(home, Buffer.from("Payroll"), 0o750);
  const folder = disk.openRoot(PATH);
  put(disk, folder, "letter.txt", "Dear Jonas");
  put(disk, folder, "empty", "");
  disk.makeLink(folder, Buffer.from("link"), Buffer.from("letter.txt"));
  disk.makeDir(folder, Buffer.from("inner"), 0o755);
  const inner = disk.openDir(folder, Buffer.from("inner"));
  put(disk, inner, "large.bin", Buffer.alloc(150_000, "large"), 0o600);
  disk.makeHardLink(folder, Buffer.from("letter.txt"), inner, Buffer.from("same.txt"));
  disk.makeDir(folder, Buffer.from("read only"), 0o555);
  disk.setTimes(disk.openDir(folder, Buffer.from("inner")), 5n, 1_400_000_000_000_000_001n);
  disk.barrier(folder);
}

interface Scene {
  readonly durable: DurableDisk;
  readonly expected: readonly string[];
  /** What may be as well, where the work changes what is in the folder; times aside. */
  readonly also?: readonly string[];
  readonly run: (disk: Disk) => Promise<unknown>;
  /** What is protected; the folder unless said. */
  readonly target?: Buffer;
}

/** A world in which everything so far is durable. */
async function begin(prepare: (disk: Disk) => Promise<void>): Promise<{ durable: DurableDisk; disk: MemoryDisk }> {
  const durable = new DurableDisk();
  const disk = new MemoryDisk(durable);
  makeTree(disk);
  await prepare(disk);
  disk.barrier();
  return { durable, disk };
}

const firstLock =
  (signer: () => Signer, visibility: Visibility) =>
  async (add: (disk: Disk) => void = () => undefined): Promise<Scene> => {
    const { durable, disk } = await begin(async (on) => add(on));
    return {
      durable,
      expected: seen(disk, PATH),
      run: (on) => lock(PATH.toString(), signer(), { disk: on, visibility, folder: FOLDER }),
    };
  };

type Way = (path: string | Buffer, access: OwnerAccess, options?: { readonly disk?: Disk }) => Promise<unknown>;

const opening =
  (visibility: Visibility, way: Way) =>
  async (add: (disk: Disk) => void = () => undefined): Promise<Scene> => {
    let realPath: Buffer = PATH;
    let expected: string[] = [];
    const { durable } = await begin(async (disk) => {
      add(disk);
      expected = seen(disk, PATH);
      ({ realPath } = await lock(PATH.toString(), person.owner, { disk, visibility, folder: FOLDER }));
    });
    return { durable, expected, run: (on) => way(realPath, person.access, { disk: on }) };
  };

const relock = (signer: () => Signer, edited: boolean) => async (): Promise<Scene> => {
  let note: OpenNote | null = null;
  const { durable, disk } = await begin(async (on) => {
    const { realPath } = await lock(PATH.toString(), person.owner, { disk: on, visibility: "hidden", folder: FOLDER });
    ({ note } = await unlock(realPath, person.access, { disk: on }));
    if (!edited) return;
    const folder = on.openRoot(PATH);
    on.unlink(folder, Buffer.from("link"));
    put(on, folder, "new.txt", "new");
    on.rename(folder, Buffer.from("empty"), folder, Buffer.from("renamed"));
  });
  return {
    durable,
    expected: seen(disk, PATH),
    run: (on) => lock(PATH.toString(), signer(), { disk: on, visibility: "hidden", folder: FOLDER, note }),
  };
};

const releaseOpen = async (): Promise<Scene> => {
  let expected: string[] = [];
  const { durable } = await begin(async (disk) => {
    expected = seen(disk, PATH);
    await lock(PATH.toString(), person.owner, { disk, folder: FOLDER });
    await unlock(PATH, person.access, { disk });
  });
  return { durable, expected, run: async (on) => releaseOpenFolder(on, PATH) };
};

/** Room for one of the two large files at a time. */
const cramped = (scene: (add: (disk: Disk) => void) => Promise<Scene>) => async (): Promise<Scene> => {
  const { run, ...rest } = await scene((disk) => {
    const inner = disk.openDir(disk.openRoot(PATH), Buffer.from("inner"));
    for (const name of ["second.bin", "third.bin"]) put(disk, inner, name, Buffer.alloc(1_100_000, name));
  });
  return { ...rest, run: (disk) => run(crampedDisk(disk, 4 * 1024 * 1024 + 1_300_000)) };
};

const newPassword = async (): Promise<Scene> => {
  const scene = await opening("view", unlock)();
  return { ...scene, run: (on) => changeOwner(on, { path: PATH, access: person.renewed, keptHeader: null }) };
};

/** Something is done to the folder while it stays locked. */
const inside =
  (
    work: (disk: Disk, slot: DropSlot) => Promise<unknown>,
    prepare: (disk: Disk, open: () => Promise<OpenNote>, isExpected: () => void) => Promise<unknown> = async () =>
      undefined,
  ) =>
  async (): Promise<Scene> => {
    let expected: string[] = [];
    let slot: DropSlot | null = null;
    const { durable } = await begin(async (disk) => {
      expected = seen(disk, PATH);
      put(disk, disk.openRoot(Buffer.from("/")), "statement.pdf", Buffer.alloc(100_000, "a statement of the bank, "));
      const { publicKey } = await lock(PATH.toString(), person.owner, { disk, folder: FOLDER });
      await prepare(
        disk,
        async () => {
          const { note } = await unlock(PATH, person.access, { disk });
          if (!note) throw new Error("it did not open whole");
          return note;
        },
        () => (expected = seen(disk, PATH)),
      );
      slot = { path: PATH, folder: FOLDER, publicKey, place: ownDirPlace(disk, PATH), device: person.device.device };
    });
    const run = async (disk: Disk): Promise<unknown> => {
      if (!slot) throw new Error("there is no slot");
      return work(disk, slot);
    };
    const done = new MemoryDisk(durable.afterPowerCut(() => 1));
    await run(done);
    await releaseSealed(done, PATH);
    return { durable, expected, also: seen(done, PATH), run };
  };

async function visiting(disk: Disk, use: (visit: Visit) => void): Promise<void> {
  const visit = await Visit.open(disk, {
    path: PATH,
    access: person.access,
    keptHeader: null,
    expected: null,
    accept: [],
    account: { uid: 0, gid: 0 },
    keepEarlier: 1,
  });
  try {
    use(visit);
    visit.commit();
  } finally {
    visit.close();
  }
}

type DropSlot = Parameters<typeof dropInto>[1];

const INSIDE: Readonly<Record<string, () => Promise<Scene>>> = {
  "visited: a file written, one moved, one removed": inside((disk) =>
    visiting(disk, (visit) => {
      upload(visit, ["inner"], "new.bin", Buffer.alloc(90_000, "new"));
      visit.move(dirAt(visit, "inner"), Buffer.from("large.bin"), visit.root, Buffer.from("moved.bin"));
      visit.remove(visit.root, Buffer.from("link"));
    }),
  ),
  "visited: an earlier state put back": inside(
    (disk) => visiting(disk, (visit) => visit.putBack(1, null)),
    async (disk, open, isExpected) => {
      const note = await open();
      put(disk, disk.openRoot(PATH), "new.txt", "new");
      isExpected();
      await lock(PATH.toString(), person.owner, { disk, folder: FOLDER, note, keepEarlier: 1 });
    },
  ),
  "a file put into the drop slot": inside((disk, slot) => dropInto(disk, slot, [Buffer.from("/statement.pdf")])),
  insured: inside(async (disk) => setInsurance(disk, PATH, { data: 4, parity: 2 })),
  "mended, its header gone": inside(
    (disk) => mendFolder(disk, { path: PATH, access: person.access, keptHeader: null }),
    async (disk) => disk.unlink(disk.openRoot(Buffer.from("/home/Payroll/.eremos")), Buffer.from("header.json")),
  ),
  "given a password of its own": inside((disk) =>
    changeFolderPassword(
      disk,
      { path: PATH, access: person.access, keptHeader: null },
      { password: OWN_PASSWORD, hint: null, cost: LEAST_COST },
    ),
  ),
};

/** By its own password, where it has one. */
async function releaseSealed(disk: Disk, path: Buffer): Promise<void> {
  await release(path, person.access, { disk }).catch(async (error: unknown) => {
    if (!(error instanceof EremosError) || error.code !== "needs-folder-password") throw error;
    const folderKey = await openFolderKey(
      disk,
      { path, access: person.access, keptHeader: null },
      { kind: "password", password: OWN_PASSWORD },
    );
    return release(path, { ...person.access, folderKey }, { disk });
  });
}

const becoming = (from: Visibility, to: Visibility): (() => Promise<Scene>) =>
  opening(
    from,
    async (path, _access, { disk = new MemoryDisk() } = {}) =>
      await changeVisibility(disk, {
        path: Buffer.from(path),
        place: PATH,
        visibility: to,
        places: [HOME],
        page: PAGE,
      }),
  );

const covered = (run: (realPath: Buffer, disk: Disk) => Promise<unknown>) => async (): Promise<Scene> => {
  let realPath: Buffer = PATH;
  let expected: string[] = [];
  const { durable } = await begin(async (disk) => {
    expected = seen(disk, PATH);
    ({ realPath } = await lock(PATH.toString(), person.owner, { disk, folder: FOLDER, cover: "Recipes", icon: ICON }));
  });
  return { durable, expected, run: (on) => run(realPath, on) };
};

const firstLockCovered = async (): Promise<Scene> => {
  const { durable, disk } = await begin(async () => undefined);
  return {
    durable,
    expected: seen(disk, PATH),
    run: (on) => lock(PATH.toString(), person.owner, { disk: on, folder: FOLDER, cover: "Recipes", icon: ICON }),
  };
};

const closedAtStop = async (): Promise<Scene> => {
  const { durable, expected, run } = await releaseOpen();
  return {
    durable,
    expected,
    run: async (on) => {
      closeToOthers(on, PATH);
      await run(on);
    },
  };
};

/** A single file beside the folder. */
const FILE = Buffer.from("/home/letter.txt");
/** Its directory's own time changes with what comes and goes in it. */
const besideHeldArea = (disk: Disk): string[] =>
  seen(disk, HOME).filter((line) => /^\/(Payroll|letter\.txt)/.test(line));
const putFile = (disk: Disk): void => put(disk, disk.openRoot(HOME), "letter.txt", "Dear Jonas, alone", 0o640);
const singleFile =
  (before: (disk: Disk) => Promise<Buffer>, run: (disk: Disk, at: Buffer) => unknown) => async (): Promise<Scene> => {
    let at: Buffer = FILE;
    let expected: string[] = [];
    const { durable } = await begin(async (disk) => {
      putFile(disk);
      disk.barrier(disk.openRoot(HOME));
      expected = besideHeldArea(disk);
      at = await before(disk);
    });
    return { durable, expected, target: FILE, run: async (on) => run(on, at) };
  };
const untouched = async (): Promise<Buffer> => FILE;
const lockedFile =
  (visibility: Visibility) =>
  async (disk: Disk): Promise<Buffer> =>
    (await lock(FILE.toString(), person.owner, { disk, folder: FOLDER, visibility, places: [HOME] })).realPath;
const openFile = async (disk: Disk): Promise<Buffer> => {
  await unlock(await lockedFile("hidden")(disk), person.access, { disk });
  return FILE;
};

type Rules = Omit<Guarding, "places">;
const BARRED: Rules = { guard: "barred", bars: { others: "read", own: "read" }, visibility: "tucked" };
const CLOSED: Rules = { guard: "barred", bars: { others: "nothing", own: "nothing" }, visibility: "view" };
const SIGHT: Rules = { guard: "sight", bars: NO_BARS, visibility: "hidden" };

function guard(rules: Rules, disk: Disk): Promise<Locked> {
  return guardFolder(
    disk,
    { ...rules, path: PATH, folder: FOLDER, owner: person.owner.owner, places: [HOME] },
    silentHooks,
  );
}

const guarding = (rules: Rules) => async (): Promise<Scene> => {
  const { durable, disk } = await begin(async () => undefined);
  return { durable, expected: seen(disk, PATH), run: (on) => guard(rules, on) };
};

const leaving = (rules: Rules, way: (disk: Disk, input: GuardedInput) => unknown) => async (): Promise<Scene> => {
  let realPath: Buffer = PATH;
  let expected: string[] = [];
  const { durable } = await begin(async (disk) => {
    expected = seen(disk, PATH);
    ({ path: realPath } = await guard(rules, disk));
  });
  return { durable, expected, run: async (on) => way(on, { path: realPath, place: PATH, guard: rules.guard }) };
};

const becomingGuarded = (from: Rules, to: Rules): (() => Promise<Scene>) =>
  leaving(from, (on, input) => changeGuarded(on, { ...input, ...to, places: [HOME] }));

const sealedBecomes = (rules: Rules): (() => Promise<Scene>) =>
  opening("hidden", async (path, access, { disk = new MemoryDisk() } = {}) => {
    await unlock(path, access, { disk, closed: true });
    await guard(rules, disk);
  });
const becomesSealed = (rules: Rules): (() => Promise<Scene>) =>
  leaving(rules, async (disk, input) => {
    await openGuarded(disk, { ...input, closed: true });
    await lock(PATH.toString(), person.owner, { disk, folder: FOLDER, visibility: "view" });
  });

const SCENES: Readonly<Record<string, () => Promise<Scene>>> = {
  "first lock, in view": firstLock(() => person.owner, "view"),
  "first lock, hidden": firstLock(() => person.owner, "hidden"),
  "first lock while signed out": firstLock(() => person.device, "view"),
  "open, in view": opening("view", unlock),
  "open, hidden": opening("hidden", unlock),
  "lock again after edits": relock(() => person.owner, true),
  "lock again after edits, while signed out": relock(() => person.device, true),
  "lock again, nothing changed": relock(() => person.owner, false),
  "first lock, file by file": cramped(firstLock(() => person.owner, "hidden")),
  "first lock while signed out, file by file": cramped(firstLock(() => person.device, "view")),
  "open, file by file": cramped(opening("hidden", unlock)),
  "release, file by file": cramped(opening("view", release)),
  "release of a locked folder": opening("hidden", release),
  "release of an open folder": releaseOpen,
  "new master password of a locked folder": newPassword,
  "first lock, tucked away": firstLock(() => person.owner, "tucked"),
  "open, tucked away": opening("tucked", unlock),
  "barred, tucked away": guarding(BARRED),
  "barred to everybody": guarding(CLOSED),
  "out of sight": guarding(SIGHT),
  "a barred folder is opened": leaving(BARRED, openGuarded),
  "a folder barred to everybody is released": leaving(CLOSED, releaseGuarded),
  "out of sight, released": leaving(SIGHT, releaseGuarded),
  "other bars": becomingGuarded(CLOSED, BARRED),
  "from barred to out of sight": becomingGuarded(BARRED, SIGHT),
  "from out of sight to barred": becomingGuarded(SIGHT, CLOSED),
  "a locked folder is hidden": becoming("view", "hidden"),
  "a hidden folder comes into view": becoming("hidden", "view"),
  "a locked folder is tucked away": becoming("view", "tucked"),
  "a tucked away folder is hidden in place": becoming("tucked", "hidden"),
  "first lock, under a cover name": firstLockCovered,
  "open, from under a cover name": covered((path, disk) => unlock(path, person.access, { disk })),
  "another cover name": covered(
    async (path, disk) =>
      await changeVisibility(disk, {
        path,
        place: PATH,
        visibility: "view",
        cover: "Old bills",
        places: [HOME],
        page: PAGE,
      }),
  ),
  "closed to others, then released": closedAtStop,
  "from sealed to barred": sealedBecomes(BARRED),
  "from sealed to out of sight": sealedBecomes(SIGHT),
  "from barred to sealed": becomesSealed(BARRED),
  "from out of sight to sealed": becomesSealed(SIGHT),
  ...INSIDE,
  "a single file, from sealed to barred": singleFile(lockedFile("hidden"), async (disk, at) => {
    await unlock(at, person.access, { disk, closed: true });
    await guardFolder(
      disk,
      { ...CLOSED, path: FILE, folder: FOLDER, owner: person.owner.owner, places: [HOME] },
      silentHooks,
    );
  }),
  "a single file, first lock in view": singleFile(untouched, (disk) => lockedFile("view")(disk)),
  "a single file, first lock tucked away": singleFile(untouched, (disk) => lockedFile("tucked")(disk)),
  "a single file, opened": singleFile(lockedFile("view"), (disk, at) => unlock(at, person.access, { disk })),
  "a single file, opened from its held area": singleFile(lockedFile("tucked"), (disk, at) =>
    unlock(at, person.access, { disk }),
  ),
  "a single file, locked again": singleFile(openFile, (disk) =>
    lock(FILE.toString(), person.owner, { disk, folder: FOLDER, visibility: "view", places: [HOME] }),
  ),
  "a single file, released": singleFile(lockedFile("hidden"), (disk, at) => release(at, person.access, { disk })),
  "a single file, released while it is open": singleFile(openFile, (disk) => releaseOpenFolder(disk, FILE)),
};

function recoverOn(disk: Disk, target: Buffer): { state: string | null; path: Buffer } {
  const at = locateFolder(disk, target, FOLDER)?.realPath ?? target;
  try {
    return recoverFolder(disk, at);
  } catch (error) {
    if (error instanceof EremosError && error.code === "not-protected") return { state: null, path: at };
    throw error;
  }
}

/** Cuts the power once more, in the middle of recovery, then recovers and asks for the plain tree. */
async function plainAfter(cut: DurableDisk, random: () => number, target: Buffer): Promise<string[]> {
  const during = crashingDisk(new MemoryDisk(cut), Math.floor(random() * 30), random() < 0.5 ? "before" : "after");
  try {
    recoverOn(during.disk, target);
  } catch (error) {
    if (!during.crashed()) throw error;
  }
  const disk = new MemoryDisk(during.crashed() ? cut.afterPowerCut(random) : cut);
  const { state, path } = recoverOn(disk, target);
  const isGuarded = state !== null && inspectFolder(disk, path)?.guard !== "sealed";
  if (isGuarded) await releaseGuarded(disk, { path, place: target });
  else if (state === "sealed") {
    const names = disk.list(disk.openRoot(path)).map((name) => name.toString());
    expect(
      names.filter((name) => name !== ".eremos" && name !== "Locked with Eremos.html" && name !== ".directory"),
    ).toEqual([]);
    await releaseSealed(disk, path);
  } else if (state === "mixed") await release(path, person.access, { disk });
  else if (state === "open") await releaseOpenFolder(disk, path);
  else expect(state).toBeNull();
  expect(
    disk
      .list(disk.openRoot(HOME))
      .filter((name) => !name.equals(HELD_NAME))
      .map((name) => name.toString())
      .sort(),
  ).toEqual(target === FILE ? ["Payroll", "letter.txt"] : ["Payroll"]);
  return target === FILE ? besideHeldArea(disk) : seen(disk, PATH);
}

function withoutTimes(lines: readonly string[]): string[] {
  return lines.map((line) => line.replace(/( \d+:\d+) -?\d+/, "$1"));
}

describe.each(Object.keys(SCENES))(`the power fails at ${CHANGES.of("change")}: %s`, (name) => {
  it("and again during recovery: the tree is whole", async () => {
    const scene = await SCENES[name]?.();
    if (!scene) throw new Error(`no scene ${name}`);
    for (let at = CHANGES.from; ; at += CHANGES.step) {
      const durable = scene.durable.afterPowerCut(() => 1);
      const crashing = crashingDisk(new MemoryDisk(durable), at, at % 2 === 0 ? "before" : "after");
      await scene.run(crashing.disk).catch((error: unknown) => {
        if (!crashing.crashed()) throw error;
      });
      if (!crashing.crashed()) return;
      for (let subset = 0; subset < SUBSETS; subset++) {
        tried++;
        const random = randomFrom(SEED + at * 1000 + subset);
        const after = await plainAfter(durable.afterPowerCut(random), random, scene.target ?? PATH);
        const where = `change ${at}, subset ${subset}, seed ${SEED}`;
        if (!scene.also) expect(after, where).toEqual(scene.expected);
        else expect([scene.expected, scene.also].map(withoutTimes), where).toContainEqual(withoutTimes(after));
      }
    }
  });
});

const ownDirOf = (disk: MemoryDisk): Dir => disk.openDir(disk.openRoot(PATH), Buffer.from(".eremos"));

/** What lies readable beside the state record. */
function readableBeside(disk: MemoryDisk): string[] {
  const [ownDir, staging] = [ownDirOf(disk), Buffer.from("staging")];
  return disk.find(ownDir, staging) ? disk.list(disk.openDir(ownDir, staging)).map(String) : [];
}

/** The same where the record says that the folder is sealed. */
function readableInSealed(disk: MemoryDisk): string[] {
  return loadState(disk, ownDirOf(disk))?.state === "sealed" ? readableBeside(disk) : [];
}

describe("an opening that was killed is undone, and then the power fails", () => {
  it("at every change of that, with 200 subsets of what was not synced: nothing readable is left where it says sealed", async () => {
    const scene = await opening("view", unlock)();
    /** Killed at that change, when all that was written before it has got to the disk. */
    const killed = async (at: number): Promise<DurableDisk> => {
      const durable = scene.durable.afterPowerCut(() => 1);
      await scene.run(crashingDisk(new MemoryDisk(durable), at, "after").disk).catch(() => undefined);
      let share: number | null = null;
      return durable.afterPowerCut(() => (share === null ? (share = 1) : 0.5));
    };
    // Once something readable lies beside the sealed copy.
    let last = 0;
    while (readableBeside(new MemoryDisk(await killed(last))).length === 0) last++;
    for (let at = 0, more = true; more; at++) {
      const durable = await killed(last);
      const undoing = crashingDisk(new MemoryDisk(durable), at, "after");
      try {
        recoverOn(undoing.disk, PATH);
      } catch (error) {
        if (!undoing.crashed()) throw error;
      }
      more = undoing.crashed();
      for (let subset = 0; subset < 200; subset++) {
        const cut = durable.afterPowerCut(randomFrom(1000 * at + subset));
        expect(readableInSealed(new MemoryDisk(cut)), `change ${at}, subset ${subset}`).toEqual([]);
      }
    }
  });
});
