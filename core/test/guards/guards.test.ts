import { spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { type Guarding, changeGuarded, guardFolder, openGuarded, releaseGuarded } from "../support/guarding";
import { HELD_NAME } from "../../src/engine/visibility/hide";
import { silentHooks } from "../../src/engine/ground/hooks";
import { locateFolder } from "../../src/engine/upkeep/locate";
import { inspectFolder } from "../../src/engine/guards/inspect";
import { recoverFolder } from "../../src/engine/guards/recover";
import { LEVELS, type Level, NO_BARS } from "../../src/format/guards";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { FOLDER } from "../support/scene";
import { OTHER, OWN, asOwner, runAs } from "../support/accounts";
import { type Person, lock, newDirectory, newPerson, removeDirectory, snapshot, unlock } from "../support/world";

let person: Person;
let base: string;
let folder: string;

beforeAll(async () => {
  person = await newPerson();
});

/** Everybody may do everything, so that what is refused is refused by the bars. */
beforeEach(() => {
  base = newDirectory();
  folder = path.join(base, "home", "Workshop", "Payroll");
  fs.mkdirSync(path.join(folder, "inner", "deeper"), { recursive: true });
  fs.writeFileSync(path.join(folder, "letter.txt"), "Dear Jonas");
  fs.writeFileSync(path.join(folder, "inner", "deeper", "sums.csv"), "1,2");
  fs.symlinkSync("/etc/hostname", path.join(folder, "link"));
  for (const name of ["", "inner", "inner/deeper"]) fs.chmodSync(path.join(folder, name), 0o777);
  for (const name of ["letter.txt", "inner/deeper/sums.csv"]) fs.chmodSync(path.join(folder, name), 0o666);
  fs.chmodSync(base, 0o755);
  spawnSync("chown", ["-R", "-h", `${OWN}:${OWN}`, path.join(base, "home")]);
});
afterEach(() => removeDirectory(base));

type Rules = Omit<Guarding, "places">;

const places = (): Buffer[] => [Buffer.from(path.join(base, "home"))];

function guard(rules: Rules): Promise<string> {
  return asOwner(async () =>
    (
      await guardFolder(
        linuxDisk,
        { ...rules, path: Buffer.from(folder), folder: FOLDER, owner: person.owner.owner, places: places() },
        silentHooks,
      )
    ).path.toString(),
  );
}

const place = (now: string): { path: Buffer; place: Buffer } => ({
  path: Buffer.from(now),
  place: Buffer.from(folder),
});

/** What an account gets done in a folder, by trying: with a new process of its own. */
function attempts(account: number, at: string): { list: boolean; read: boolean; change: boolean; delete: boolean } {
  const tries = (command: string): boolean => runAs(account, command).ok;
  const quoted = `'${at}'`;
  return {
    list: runAs(account, `ls ${quoted}`).out.includes("letter.txt"),
    read: tries(`cat ${quoted}/letter.txt`) || tries(`cat ${quoted}/inner/deeper/sums.csv`),
    change: tries(`printf x >> ${quoted}/letter.txt`) || tries(`printf x >> ${quoted}/inner/deeper/sums.csv`),
    delete:
      tries(`touch ${quoted}/new && rm ${quoted}/new`) ||
      tries(`touch ${quoted}/inner/new && rm ${quoted}/inner/new`) ||
      tries(`mv ${quoted}/inner/deeper ${quoted}/inner/other && mv ${quoted}/inner/other ${quoted}/inner/deeper`),
  };
}

function expected(level: Level): { list: boolean; read: boolean; change: boolean; delete: boolean } {
  const rank = LEVELS.indexOf(level);
  return { list: rank >= 1, read: rank >= 2, change: rank >= 3, delete: rank >= 4 };
}

/** A disk that tries, after every call by which somebody could be let in, what the other account gets done. */
function watching(): { readonly watched: typeof linuxDisk; readonly seen: Set<string> } {
  const seen = new Set<string>();
  const calls: readonly (keyof typeof linuxDisk)[] = [
    "setMode",
    "setOpenMode",
    "barrier",
    "rename",
    "renameExclusive",
    "unlink",
  ];
  const watched: typeof linuxDisk = new Proxy(linuxDisk, {
    get: (disk, name: keyof typeof linuxDisk) => {
      const call = disk[name];
      if (!calls.includes(name)) return call;
      return (...args: never[]) => {
        const outcome = (call as (...given: never[]) => unknown).apply(disk, args);
        const located = locateFolder(disk, Buffer.from(folder), FOLDER);
        process.seteuid?.(0);
        if (located) seen.add(JSON.stringify(attempts(OTHER, located.realPath.toString())));
        process.seteuid?.(OWN);
        return outcome;
      };
    },
  });
  return { watched, seen };
}

const pairs = LEVELS.flatMap((own) =>
  LEVELS.filter((others) => LEVELS.indexOf(others) <= LEVELS.indexOf(own)).map((others) => ({ others, own })),
);

describe.runIf(process.getuid?.() === 0)("a barred folder, tried by real accounts", () => {
  it.each(pairs)("others may: $others; this account may: $own", async (bars) => {
    const before = snapshot(folder);
    const now = await guard({ guard: "barred", bars, visibility: "view" });
    expect(now).toBe(folder);
    expect(attempts(OTHER, folder)).toEqual(expected(bars.others));
    expect(attempts(OWN, folder)).toEqual(expected(bars.own));
    expect(await asOwner(() => inspectFolder(linuxDisk, Buffer.from(folder)))).toMatchObject({
      folder: FOLDER,
      guard: "barred",
      state: "locked",
    });
    expect(await asOwner(() => recoverFolder(linuxDisk, Buffer.from(folder)).steps)).toEqual([]);
    fs.truncateSync(path.join(folder, "letter.txt"), 10);
    fs.truncateSync(path.join(folder, "inner/deeper/sums.csv"), 3);
    await asOwner(() => openGuarded(linuxDisk, place(folder)));
    expect(attempts(OTHER, folder)).toEqual(expected("everything"));
    await asOwner(() => releaseGuarded(linuxDisk, place(folder)));
    const withoutTimes = (lines: readonly string[]): string[] =>
      lines.map((line) => line.replace(/mtime=\d+/, "").replace(/ \d+ [0-9a-f]{64}$/, ""));
    expect(withoutTimes(snapshot(folder))).toEqual(withoutTimes(before));
  });

  it("access control lists are barred too, and come back exactly", async () => {
    const setfacl = (...args: readonly string[]): void => expect(spawnSync("setfacl", args).status).toBe(0);
    setfacl("-m", `u:${OTHER}:rwx,g:games:r`, path.join(folder, "letter.txt"), path.join(folder, "inner"), folder);
    setfacl("-d", "-m", `u:${OTHER}:rwx`, path.join(folder, "inner"));
    for (const name of ["", "inner", "letter.txt"]) fs.chmodSync(path.join(folder, name), 0o770);
    const lists = (): string => spawnSync("getfacl", ["-R", "-n", "-p", folder], { encoding: "utf8" }).stdout;
    const before = lists();
    const all = snapshot(folder);
    for (const others of ["nothing", "list", "read"] as const) {
      await guard({ guard: "barred", bars: { others, own: "read" }, visibility: "view" });
      expect(attempts(OTHER, folder)).toEqual(expected(others));
      await asOwner(() => releaseGuarded(linuxDisk, place(folder)));
      expect(lists()).toBe(before);
      expect(snapshot(folder)).toEqual(all);
    }
  });

  it("other rules while it stays locked: others are never let in on the way", async () => {
    await guard({ guard: "barred", bars: { others: "nothing", own: "nothing" }, visibility: "hidden" });
    const { seen, watched } = watching();
    const { realPath } = (await asOwner(() => locateFolder(linuxDisk, Buffer.from(folder), FOLDER))) ?? {
      realPath: Buffer.alloc(0),
    };
    const changed = await asOwner(() =>
      changeGuarded(watched, {
        ...place(realPath.toString()),
        guard: "barred",
        bars: { others: "list", own: "change" },
        visibility: "tucked",
        places: places(),
      }),
    );
    expect([...seen].sort()).toEqual(
      [expected("list"), expected("nothing")]
        .map((one) => JSON.stringify(one))
        .filter((one) => seen.has(one))
        .sort(),
    );
    expect(changed.path.toString()).toContain(`${base}/home/${HELD_NAME.toString()}/.`);
    expect(attempts(OWN, changed.path.toString())).toEqual(expected("change"));
  });

  it("from sealed to barred, and back, while it stays locked: others are never let in on the way", async () => {
    // Whoever may write into a sealed folder may put things there, and would find them.
    fs.chmodSync(folder, 0o755);
    const { realPath } = await asOwner(() =>
      lock(folder, person.owner, { folder: FOLDER, visibility: "hidden", places: places() }),
    );
    const forward = watching();
    await asOwner(async () => {
      await unlock(realPath, person.access, { disk: forward.watched, closed: true });
      expect(inspectFolder(linuxDisk, Buffer.from(folder))).toMatchObject({ state: "open" });
      await guardFolder(
        forward.watched,
        {
          guard: "barred",
          bars: { others: "list", own: "change" },
          visibility: "view",
          path: Buffer.from(folder),
          folder: FOLDER,
          owner: person.owner.owner,
          places: places(),
        },
        silentHooks,
      );
    });
    const listOrNothing = [expected("list"), expected("nothing")].map((one) => JSON.stringify(one)).sort();
    expect([...forward.seen].sort()).toEqual(listOrNothing);
    expect(attempts(OWN, folder)).toEqual(expected("change"));
    const back = watching();
    await asOwner(async () => {
      await openGuarded(back.watched, { ...place(folder), closed: true });
      await lock(folder, person.owner, { disk: back.watched, folder: FOLDER, visibility: "hidden", places: places() });
    });
    expect([...back.seen].sort()).toEqual(listOrNothing);
  });

  it("rules that can't be had leave the old ones", async () => {
    await guard({ guard: "barred", bars: { others: "nothing", own: "everything" }, visibility: "view" });
    fs.writeFileSync(path.join(folder, "foreign"), "not theirs");
    fs.chmodSync(path.join(folder, "foreign"), 0o666);
    await expect(
      asOwner(() =>
        changeGuarded(linuxDisk, {
          ...place(folder),
          guard: "barred",
          bars: { others: "read", own: "read" },
          visibility: "view",
          places: places(),
        }),
      ),
    ).rejects.toThrow("belongs to another account");
    expect(attempts(OTHER, folder)).toEqual(expected("nothing"));
    expect(await asOwner(() => inspectFolder(linuxDisk, Buffer.from(folder)))).toMatchObject({ state: "locked" });
  });

  it("a folder of another account, and more for others than for oneself, are refused before anything is touched", async () => {
    const before = snapshot(folder);
    await expect(
      guard({ guard: "barred", bars: { others: "read", own: "list" }, visibility: "view" }),
    ).rejects.toMatchObject({ code: "usage" });
    await expect(guard({ guard: "sight", bars: NO_BARS, visibility: "view" })).rejects.toMatchObject({ code: "usage" });
    fs.chownSync(folder, 0, 0);
    await expect(
      guard({ guard: "barred", bars: { others: "nothing", own: "everything" }, visibility: "view" }),
    ).rejects.toMatchObject({ code: "no-permission" });
    fs.chownSync(folder, OWN, OWN);
    expect(snapshot(folder)).toEqual(before);
  });

  it("edits made by hand and files that came meanwhile keep their own permissions", async () => {
    await guard({ guard: "barred", bars: { others: "read", own: "everything" }, visibility: "view" });
    fs.writeFileSync(path.join(folder, "new.txt"), "new", { mode: 0o640 });
    fs.rmSync(path.join(folder, "inner", "deeper", "sums.csv"));
    fs.chmodSync(path.join(folder, "letter.txt"), 0o600);
    await asOwner(() => openGuarded(linuxDisk, place(folder)));
    const mode = (name: string): number => fs.statSync(path.join(folder, name)).mode & 0o7777;
    expect([mode(""), mode("inner"), mode("letter.txt"), mode("new.txt")]).toEqual([0o777, 0o777, 0o600, 0o640]);
  });
});

describe("a folder that was barred on another operating system", () => {
  it("is told as that, and nothing is done by rules and permissions of another system", async () => {
    await guard({ guard: "barred", bars: { others: "nothing", own: "everything" }, visibility: "view" });
    const before = snapshot(folder);
    const asBarred = { ...place(folder), guard: "barred" } as const;
    const elsewhere = new Proxy(linuxDisk, {
      get: (target, name: keyof typeof linuxDisk) => (name === "system" ? "another" : target[name]),
    });
    for (const attempt of [
      () => openGuarded(elsewhere, asBarred),
      () => releaseGuarded(elsewhere, asBarred),
      () => recoverFolder(elsewhere, Buffer.from(folder)),
      () => inspectFolder(elsewhere, Buffer.from(folder)),
    ]) {
      await expect((async () => attempt())()).rejects.toMatchObject({
        code: "unsupported",
        message: expect.stringContaining("another operating system"),
      });
    }
    expect(snapshot(folder)).toEqual(before);
  });
});

describe("out of sight and tucked away", () => {
  it.each(["hidden", "tucked"] as const)(
    "%s: one rename, contents untouched, back at its place",
    async (visibility) => {
      const before = snapshot(folder);
      const { path: now } = await guardFolder(
        linuxDisk,
        {
          guard: "sight",
          bars: NO_BARS,
          visibility,
          path: Buffer.from(folder),
          folder: FOLDER,
          owner: person.owner.owner,
          places: places(),
        },
        silentHooks,
      );
      expect(fs.existsSync(folder)).toBe(false);
      expect(fs.readdirSync(path.dirname(folder))).toEqual(
        visibility === "hidden" ? [path.basename(now.toString())] : [],
      );
      expect(path.basename(now.toString())).toMatch(/^\.[0-9a-f]{20}$/);
      expect(locateFolder(linuxDisk, Buffer.from(folder), FOLDER)?.realPath).toEqual(now);
      expect(snapshot(now.toString(), { withoutOwnDir: true }).slice(1)).toEqual(before.slice(1));
      await releaseGuarded(linuxDisk, place(now.toString()));
      expect(snapshot(folder)).toEqual(before);
      expect(fs.readdirSync(path.join(base, "home"))).toEqual(["Workshop"]);
    },
  );

  it("a sealed folder that is tucked away comes back too, under another mount path as well", async () => {
    const before = snapshot(folder);
    const { realPath } = await lock(folder, person.owner, { visibility: "tucked", places: places() });
    expect(fs.readdirSync(path.join(base, "home", "Workshop"))).toEqual([]);
    expect(fs.statSync(path.join(base, "home", HELD_NAME.toString())).mode & 0o777).toBe(0o700);
    const moved = path.join(base, "mounted elsewhere");
    fs.renameSync(path.join(base, "home"), moved);
    const at = realPath.toString().replace(path.join(base, "home"), moved);
    const opened = await unlock(at, person.access);
    expect(opened.path.toString()).toBe(path.join(moved, "Workshop", "Payroll"));
    expect(snapshot(opened.path.toString(), { withoutOwnDir: true }).slice(1)).toEqual(before.slice(1));
  });

  it("something else at its path, or no directory there, stops the opening and loses nothing", async () => {
    const rules = {
      guard: "sight",
      bars: NO_BARS,
      visibility: "tucked",
      path: Buffer.from(folder),
      folder: FOLDER,
      owner: person.owner.owner,
      places: places(),
    } as const;
    const { path: now } = await guardFolder(linuxDisk, rules, silentHooks);
    fs.mkdirSync(folder);
    await expect(openGuarded(linuxDisk, place(now.toString()))).rejects.toThrow("Something else is at");
    fs.rmdirSync(folder);
    fs.rmdirSync(path.dirname(folder));
    await expect(openGuarded(linuxDisk, place(now.toString()))).rejects.toThrow(
      "where the folder belongs, is not there",
    );
    fs.mkdirSync(path.dirname(folder));
    await openGuarded(linuxDisk, place(now.toString()));
    expect(fs.readFileSync(path.join(folder, "letter.txt"), "utf8")).toBe("Dear Jonas");
  });
});
