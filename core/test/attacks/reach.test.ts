import { spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import fc from "fast-check";
import { afterEach, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { guardFolder, openGuarded } from "../support/guarding";
import { silentHooks } from "../../src/engine/ground/hooks";
import { locateFolder } from "../../src/engine/upkeep/locate";
import { type Bars, NO_BARS } from "../../src/format/guards";
import type { Answer } from "../../src/onlooker/surroundings";
import { type Reach, reachOf } from "../../src/onlooker/reach";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { FOLDER } from "../support/scene";
import { OTHER, OWN, ROOT, asOwner, runAs } from "../support/accounts";
import { type Person, lock, newDirectory, newPerson, removeDirectory, unlock } from "../support/world";
import { REACH_KINDS, VISIBILITIES, type Visibility } from "../../src/format/choices";

/**
 * Every cell against the real system: real listings, and real attempts to read, change and delete by processes of real
 * accounts.
 */
let person: Person;
let base: string;
let home: string;
let folder: string;

beforeAll(async () => {
  person = await newPerson();
});
beforeEach(() => {
  base = newDirectory();
  fs.chmodSync(base, 0o755);
  home = path.join(base, "home");
  folder = path.join(home, "Workshop", "Payroll");
  fs.mkdirSync(path.join(folder, "inner"), { recursive: true });
  for (const name of ["letter.txt", "inner/sums.csv"])
    fs.writeFileSync(path.join(folder, name), "Dear Jonas, twelve violins", { mode: 0o666 });
  for (const name of ["", "inner"]) fs.chmodSync(path.join(folder, name), 0o777);
  for (const name of ["letter.txt", "inner/sums.csv"]) fs.chmodSync(path.join(folder, name), 0o666);
  spawnSync("chown", ["-R", `${OWN}:${OWN}`, home]);
});
afterEach(() => removeDirectory(base));

const HEX = /^\.[0-9a-f]{20}$/m;

/**
 * What somebody finds by looking around with a file lister, with hidden entries or without: in the place, and in every
 * hidden directory above it.
 */
function finds(account: number, hiddenToo: boolean): Answer {
  const list = hiddenToo ? "ls -A" : "ls";
  if (runAs(account, `${list} '${home}/Workshop'`).out.split("\n").includes("Payroll")) return "yes";
  if (!hiddenToo) return "no";
  return HEX.test(runAs(account, `ls -A '${home}/Workshop'`).out) ||
    HEX.test(runAs(account, `ls -A '${home}/.eremos-held'`).out)
    ? "partly"
    : "no";
}

interface Somebody {
  readonly uid: number;
  readonly gids: readonly number[];
}

const [GAMES, LENA] = [60, 4303];
const ANYBODY: Somebody = { uid: OTHER, gids: [OTHER] };
/** Of the group `games`, and one whom only a list or an owner names. */
const NAMED: readonly Somebody[] = [
  { uid: 5, gids: [GAMES] },
  { uid: LENA, gids: [LENA] },
];

/** What the kernel lets somebody do: this process with their account and groups, and no other right. */
function as<T>({ uid, gids: [gid = uid, ...more] }: Somebody, work: () => T): T {
  const groups = process.getgroups?.() ?? [];
  process.setgroups?.(more);
  process.setegid?.(gid);
  process.seteuid?.(uid);
  try {
    return work();
  } finally {
    process.seteuid?.(0);
    process.setegid?.(0);
    process.setgroups?.(groups);
  }
}

function can(attempt: () => void): boolean {
  try {
    attempt();
    return true;
  } catch {
    return false;
  }
}

const shareOf = (things: readonly string[], may: (thing: string) => boolean): Answer => {
  const count = things.filter(may).length;
  return count === 0 ? "no" : count === things.length ? "yes" : "partly";
};

interface Tried {
  readonly exists: Answer;
  readonly names: Answer;
  readonly reads: Answer;
  readonly changes: Answer;
  readonly deletes: Answer;
  readonly moves: boolean;
}

const moved = (entry: string): boolean =>
  can(() => {
    fs.renameSync(entry, `${entry}.x`);
    fs.renameSync(`${entry}.x`, entry);
  });

/**
 * Every attempt is made on the thing itself, and taken back. What an account owns it may give itself all rights to;
 * this account's own is told as it is now.
 */
function attempts(who: Somebody, at: string, isSealed: boolean): Tried {
  const all = fs
    .readdirSync(at, { recursive: true, encoding: "utf8" })
    .map((name) => path.join(at, name))
    .filter((entry) => !fs.lstatSync(entry).isSymbolicLink());
  const contents = all.filter(
    (entry) => !entry.startsWith(`${at}/.eremos`) && !entry.endsWith("/Locked with Eremos.html"),
  );
  const files = contents.filter((entry) => fs.statSync(entry).isFile());
  const directories = [
    at,
    ...contents.filter((entry) => fs.statSync(entry).isDirectory() && fs.readdirSync(entry).length > 0),
  ];
  const removable = contents.length > 0 ? contents : fs.readdirSync(at).map((name) => path.join(at, name));
  const taken = [base, home, path.dirname(at), at, ...all].map((entry) => ({
    entry,
    mode: fs.statSync(entry).mode & 0o7777,
  }));
  try {
    return as(who, () => {
      if (who.uid !== OWN && who.uid !== 0)
        for (const { entry, mode } of taken) can(() => fs.chmodSync(entry, mode | 0o700));
      const place = path.dirname(at);
      const lists = can(() => fs.readdirSync(place));
      const reads = (file: string): boolean => can(() => fs.closeSync(fs.openSync(file, "r")));
      const writes = (file: string): boolean => can(() => fs.closeSync(fs.openSync(file, fs.constants.O_WRONLY)));
      return {
        exists: !can(() => fs.statSync(at))
          ? "no"
          : lists && fs.readdirSync(place).includes(path.basename(at))
            ? "yes"
            : "partly",
        names: isSealed ? "no" : shareOf(directories, (directory) => can(() => fs.readdirSync(directory))),
        reads: isSealed ? "no" : shareOf(files, reads),
        changes: isSealed ? "no" : shareOf(files, (file) => writes(file) || moved(file)),
        deletes: shareOf(removable, moved),
        moves: [at, place, home].some(moved),
      };
    });
  } finally {
    for (const { entry, mode } of taken) fs.chmodSync(entry, mode);
  }
}

const RANK = { no: 0, partly: 1, yes: 2 } as const;
const COLUMNS = ["exists", "names", "reads", "changes", "deletes"] as const;
const answers = (row: Reach | undefined): Record<string, Answer | undefined> =>
  Object.fromEntries(COLUMNS.map((column) => [column, row?.[column].answer]));
const picked = (tried: Tried): Record<string, Answer> =>
  Object.fromEntries(COLUMNS.map((column) => [column, tried[column]]));

/**
 * Whoever can take the folder as a whole can delete it, and put another in its place, which encryption lets the owner
 * notice.
 */
function asTold({ moves, ...tried }: Tried, isSealed: boolean): Tried {
  const atLeast = (answer: Answer): Answer => (moves && answer === "no" ? "partly" : answer);
  return {
    ...tried,
    moves,
    deletes: atLeast(tried.deletes),
    changes: isSealed ? tried.changes : atLeast(tried.changes),
  };
}

/** A name that says nothing and that nobody can list is known to nobody: then only what it lies in can be moved. */
function unknown(who: Somebody, at: string, tried: Tried): Tried {
  if (tried.exists === "yes") return { ...tried, exists: "partly" };
  return {
    exists: "no",
    names: "no",
    reads: "no",
    changes: "no",
    deletes: "no",
    moves: as(who, () => [path.dirname(at), home].some(moved)),
  };
}

/** Of anybody; and where somebody who is named gets further, "partly". */
function amongOthers(at: string, state: "open" | "sealed" | "barred" | "sight"): Record<string, Answer> {
  const isSealed = state === "sealed";
  const [anybody, ...named] = [ANYBODY, ...NAMED].map((who) => {
    const tried = attempts(who, at, isSealed);
    return picked(asTold(state === "sight" ? unknown(who, at, tried) : tried, isSealed));
  });
  return Object.fromEntries(
    Object.entries(anybody ?? {}).map(([column, answer]) => [
      column,
      named.some((row) => RANK[row[column] ?? "no"] > RANK[answer]) ? "partly" : answer,
    ]),
  );
}

function look(now: string, mostLookedAt = 1000): Promise<ReadonlyMap<string, Reach>> {
  return asOwner(() => {
    const located = locateFolder(linuxDisk, Buffer.from(folder), FOLDER);
    if (!located) throw new Error(`not found: ${now}`);
    return new Map(
      reachOf(linuxDisk, {
        realPath: located.realPath.toString(),
        inspection: located.inspection,
        synced: null,
        signedIn: false,
        stays: false,
        mostLookedAt,
      }).map((row) => [row.kind, row]),
    );
  });
}

async function compare(now: string): Promise<void> {
  const rows = await look(now);
  const isSealed =
    fs.existsSync(path.join(now, ".eremos", "header.json")) &&
    !fs.readdirSync(now).some((name) => name === "letter.txt");
  const visible = (account: number, hiddenToo: boolean, tried: Tried): Record<string, Answer> => {
    const exists = finds(account, hiddenToo);
    return exists === "no"
      ? Object.fromEntries(COLUMNS.map((column) => [column, "no" as const]))
      : { ...picked(tried), exists };
  };
  const own = attempts({ uid: OWN, gids: [OWN] }, now, isSealed);
  const root = attempts({ uid: ROOT, gids: [ROOT] }, now, isSealed);
  const other = asTold(attempts(ANYBODY, now, isSealed), isSealed);
  const real: Record<string, Record<string, Answer>> = {
    keyboard: visible(OWN, false, own),
    "keyboard-hidden-shown": visible(OWN, true, own),
    account: visible(OTHER, true, other),
    administrator: visible(ROOT, true, root),
    disk: visible(ROOT, true, root),
  };
  for (const [kind, did] of Object.entries(real)) {
    expect(answers(rows.get(kind)), `${kind} at ${now}`).toEqual(did);
    const row = rows.get(kind);
    for (const part of row ? [row.exists, row.names, row.reads, row.changes, row.deletes] : [])
      expect(part.reason).toMatch(/^[A-Z].*\.$/);
  }
}

const places = (): Buffer[] => [Buffer.from(home)];

const BARS: readonly Bars[] = [
  { others: "nothing", own: "everything" },
  { others: "list", own: "read" },
  { others: "read", own: "change" },
  { others: "change", own: "everything" },
  { others: "nothing", own: "nothing" },
];

describe.runIf(process.getuid?.() === 0)("who could get at it, cell by cell against the real system", () => {
  it.each(VISIBILITIES)("sealed, %s: locked, and open", async (visibility) => {
    const locked = await asOwner(() => lock(folder, person.owner, { folder: FOLDER, visibility, places: places() }));
    await compare(locked.realPath.toString());
    await asOwner(() => unlock(locked.realPath, person.access));
    await compare(folder);
  });

  it.each(BARS.flatMap((bars) => VISIBILITIES.map((visibility) => ({ ...bars, visibility }))))(
    "barred, $visibility, others: $others, this account: $own; and open",
    async ({ visibility, ...bars }) => {
      await guardAndCompare("barred", bars, visibility);
    },
  );

  it.each(["hidden", "tucked"] as const)("out of sight, %s; and open", async (visibility) => {
    await guardAndCompare("sight", NO_BARS, visibility);
  });

  async function guardAndCompare(guard: "barred" | "sight", bars: Bars, visibility: Visibility): Promise<void> {
    const input = {
      guard,
      bars,
      visibility,
      path: Buffer.from(folder),
      folder: FOLDER,
      owner: person.owner.owner,
      places: places(),
    };
    const { path: now } = await asOwner(() => guardFolder(linuxDisk, input, silentHooks));
    await compare(now.toString());
    await asOwner(() => openGuarded(linuxDisk, { path: now, place: Buffer.from(folder) }));
    await compare(folder);
  }

  it("a private directory above keeps other accounts out of everything", async () => {
    fs.chmodSync(home, 0o700);
    const { path: now } = await asOwner(() =>
      guardFolder(
        linuxDisk,
        {
          guard: "sight",
          bars: NO_BARS,
          visibility: "hidden",
          path: Buffer.from(folder),
          folder: FOLDER,
          owner: person.owner.owner,
          places: places(),
        },
        silentHooks,
      ),
    );
    await compare(now.toString());
  });

  it("an account of its group, or one that an access list names, is told of where others are refused", async () => {
    const games = 60;
    for (const name of ["", "inner", "letter.txt", "inner/sums.csv"]) {
      fs.chownSync(path.join(folder, name), OWN, games);
      fs.chmodSync(path.join(folder, name), name.includes(".") ? 0o640 : 0o750);
    }
    spawnSync("setfacl", ["-m", `u:${OTHER}:r`, path.join(folder, "letter.txt")]);
    const { path: now } = await asOwner(() =>
      guardFolder(
        linuxDisk,
        {
          guard: "barred",
          bars: { others: "read", own: "everything" },
          visibility: "view",
          path: Buffer.from(folder),
          folder: FOLDER,
          owner: person.owner.owner,
          places: places(),
        },
        silentHooks,
      ),
    );
    expect(spawnSync("cat", [path.join(folder, "letter.txt")], { uid: 5, gid: games }).status).toBe(0);
    expect(runAs(OTHER, `cat '${folder}/letter.txt'`).ok).toBe(false);
    expect((await look(now.toString())).get("account")).toMatchObject({
      reads: { answer: "partly", reason: expect.stringContaining("of the group games") },
      changes: { answer: "no" },
    });
  });

  /** A folder, what it lies in, and what lies in it, with owners, groups, modes and lists at random. */
  const permitted = fc.record({
    mode: fc.constantFrom(
      0o700,
      0o711,
      0o750,
      0o755,
      0o770,
      0o775,
      0o777,
      0o1777,
      0o2770,
      0o2775,
      0o3777,
      0o707,
      0o751,
      0o773,
      0o1773,
    ),
    owner: fc.constantFrom(OWN, OWN, OWN, LENA),
    group: fc.constantFrom(OWN, GAMES, GAMES),
    list: fc.constantFrom("", "", "", `u:${LENA}:rwx`, `g:${GAMES}:r-x`, `u:${LENA}:---`, `g:${GAMES}:rwx,m::r-x`),
  });
  const fileBits = fc.constantFrom(0o777, 0o666, 0o644, 0o640, 0o600, 0o606);

  function permit(
    entry: string,
    {
      mode,
      owner,
      group,
      list,
    }: { readonly mode: number; readonly owner: number; readonly group: number; readonly list: string },
    most = 0o7777,
  ): void {
    fs.chownSync(entry, owner, group);
    fs.chmodSync(entry, mode & most);
    if (list !== "") spawnSync("setfacl", ["-m", list, entry]);
  }

  it.each(["open", "sealed", "barred", "sight"] as const)(
    "%s, over random owners, groups, modes, set-gid, sticky directories, access lists and parents: what anybody, a member of a group, a named account, this one and an administrator can do is what it says",
    async (state) => {
      await fc.assert(
        fc.asyncProperty(
          fc.array(permitted, { minLength: 6, maxLength: 6 }),
          fc.array(fileBits, { minLength: 6, maxLength: 6 }),
          async (permissions, bits) => {
            fs.rmSync(home, { recursive: true, force: true });
            fs.mkdirSync(path.join(folder, "inner"), { recursive: true });
            for (const name of ["letter.txt", "inner/sums.csv"])
              fs.writeFileSync(path.join(folder, name), "Dear Jonas, twelve violins");
            spawnSync("chown", ["-R", `${OWN}:${OWN}`, home]);
            const path6 = [
              home,
              path.dirname(folder),
              folder,
              path.join(folder, "inner"),
              path.join(folder, "letter.txt"),
              path.join(folder, "inner/sums.csv"),
            ];
            // The folder is this account's, which has to get there; what is in it may be somebody else's while it lies
            // open.
            const give = (from: number): void =>
              path6.forEach((entry, i) => {
                const own = permissions[i];
                if (i >= from && own)
                  permit(
                    entry,
                    { ...own, owner: i < 3 || state !== "open" ? OWN : own.owner },
                    entry.includes(".") ? bits[i] : 0o7777,
                  );
              });
            let at = folder;
            if (state === "open") give(0);
            else {
              give(2);
              if (state === "sealed") await asOwner(() => lock(folder, person.owner, { folder: FOLDER }));
              else if (state === "sight")
                at = (
                  await asOwner(() =>
                    guardFolder(
                      linuxDisk,
                      {
                        guard: "sight",
                        bars: NO_BARS,
                        visibility: "hidden",
                        path: Buffer.from(folder),
                        folder: FOLDER,
                        owner: person.owner.owner,
                        places: places(),
                      },
                      silentHooks,
                    ),
                  )
                ).path.toString();
              else
                await asOwner(() =>
                  guardFolder(
                    linuxDisk,
                    {
                      guard: "barred",
                      bars: { others: "change", own: "everything" },
                      visibility: "view",
                      path: Buffer.from(folder),
                      folder: FOLDER,
                      owner: person.owner.owner,
                      places: places(),
                    },
                    silentHooks,
                  ),
                );
              [home, path.dirname(folder)].forEach(
                (entry, i) => permissions[i] && permit(entry, { ...permissions[i], owner: OWN }),
              );
            }
            const rows =
              state === "open"
                ? new Map(
                    (
                      await asOwner(() =>
                        reachOf(linuxDisk, {
                          realPath: folder,
                          inspection: { guard: "sealed", state: "open", visibility: "view", lockedName: null },
                          synced: null,
                          signedIn: false,
                          stays: false,
                        }),
                      )
                    ).map((row) => [row.kind, row]),
                  )
                : await look(at);
            const told = rows.get("account");
            const real = amongOthers(at, state);
            // What this account itself can't list is told as "partly".
            const isListed =
              as({ uid: OWN, gids: [OWN] }, () => can(() => fs.readdirSync(path.join(at, "inner")))) ||
              state === "sealed";
            const expected = Object.fromEntries(
              Object.entries(real).map(([column, answer]) => [
                column,
                !isListed && answers(told)[column] === "partly" ? "partly" : answer,
              ]),
            );
            const seenBy = (kind: Reach["kind"], who: Somebody): void => {
              const tried = attempts(who, at, state === "sealed");
              const did: Record<string, Answer> =
                state === "sealed" ? { ...picked(tried), deletes: "yes" } : picked(tried);
              // What this account can't list is not told of, since it was refused.
              expect(
                {
                  ...answers(rows.get(kind)),
                  ...(isListed ? {} : { reads: did["reads"], changes: did["changes"], deletes: did["deletes"] }),
                },
                kind,
              ).toEqual({ ...did, exists: state === "sight" ? "partly" : "yes" });
            };
            if (
              fs.readdirSync(path.dirname(at)).length > 0 &&
              as({ uid: OWN, gids: [OWN] }, () => can(() => fs.readdirSync(path.dirname(at))))
            )
              seenBy("keyboard-hidden-shown", { uid: OWN, gids: [OWN] });
            const byRoot = answers(rows.get("administrator"));
            expect(byRoot).toEqual(
              state === "sealed"
                ? { exists: "yes", names: "no", reads: "no", changes: "no", deletes: "yes" }
                : {
                    ...picked(attempts({ uid: ROOT, gids: [ROOT] }, at, false)),
                    exists: state === "sight" ? "partly" : "yes",
                  },
            );
            expect(
              answers(told),
              path6
                .map(
                  (entry) =>
                    `${entry.slice(base.length)} ${(fs.statSync(entry, { throwIfNoEntry: false })?.mode ?? 0).toString(8)}`,
                )
                .join("\n"),
            ).toEqual(expected);
          },
        ),
        { numRuns: state === "open" ? 150 : 40 },
      );
    },
  );

  it("what was not looked at, or can't be, is partly within reach of whoever gets there, and not of whoever does not", async () => {
    fs.chmodSync(folder, 0o755);
    fs.chmodSync(path.join(folder, "inner"), 0o755);
    for (const name of ["letter.txt", "inner/sums.csv"]) fs.chmodSync(path.join(folder, name), 0o600);
    const inspection = { guard: "sealed", state: "open", visibility: "view", lockedName: null } as const;
    const account = (mostLookedAt?: number): Promise<Reach | undefined> =>
      asOwner(() =>
        reachOf(linuxDisk, {
          realPath: folder,
          inspection,
          synced: null,
          signedIn: false,
          stays: false,
          ...(mostLookedAt === undefined ? {} : { mostLookedAt }),
        }).find(({ kind }) => kind === "account"),
      );
    expect((await account())?.reads.answer).toBe("no");
    expect((await account(2))?.reads.answer).toBe("partly");
    fs.chownSync(path.join(folder, "inner"), LENA, LENA);
    fs.chmodSync(path.join(folder, "inner"), 0o711);
    expect((await account())?.reads.answer).toBe("partly");
    fs.chmodSync(folder, 0o700);
    expect((await account(2))?.reads.answer).toBe("no");
  });

  it("one whom an access list with an empty mask forbids a file is one of the others there, as the system has it", async () => {
    for (const directory of [home, path.dirname(folder)]) {
      fs.chmodSync(directory, 0o700);
      spawnSync("setfacl", ["-m", `u:${LENA}:rwx`, directory]);
    }
    fs.chmodSync(path.join(folder, "inner"), 0o700);
    fs.chmodSync(path.join(folder, "letter.txt"), 0o606);
    spawnSync("setfacl", ["-m", `u:${LENA}:---`, path.join(folder, "letter.txt")]);
    expect(as({ uid: LENA, gids: [LENA] }, () => fs.readFileSync(path.join(folder, "letter.txt"), "utf8"))).toContain(
      "twelve violins",
    );
    const row = await asOwner(() =>
      reachOf(linuxDisk, {
        realPath: folder,
        inspection: { guard: "sealed", state: "open", visibility: "view", lockedName: null },
        synced: null,
        signedIn: false,
        stays: false,
      }).find(({ kind }) => kind === "account"),
    );
    expect(row?.reads).toMatchObject({ answer: "partly", reason: `Only the account ${LENA}.` });
  });

  it("a file with a second name outside is read there, however closed the folder", async () => {
    fs.chmodSync(folder, 0o700);
    fs.chmodSync(base, 0o755);
    fs.linkSync(path.join(folder, "letter.txt"), path.join(base, "second.txt"));
    expect(as(ANYBODY, () => fs.readFileSync(path.join(base, "second.txt"), "utf8"))).toContain("twelve violins");
    const row = await asOwner(() =>
      reachOf(linuxDisk, {
        realPath: folder,
        inspection: { guard: "sealed", state: "open", visibility: "view", lockedName: null },
        synced: null,
        signedIn: false,
        stays: false,
      }).find(({ kind }) => kind === "account"),
    );
    expect(row?.reads).toMatchObject({ answer: "partly", reason: expect.stringContaining("second name") });
    expect(row?.names.answer).toBe("no");
  });

  it("says what encryption does not stop: a running computer, and what a provider got before", async () => {
    const { realPath } = await lock(folder, person.owner, { folder: FOLDER });
    const inspection = locateFolder(linuxDisk, Buffer.from(folder), FOLDER)?.inspection;
    if (!inspection) throw new Error("not found");
    const rows = reachOf(linuxDisk, {
      realPath: realPath.toString(),
      inspection,
      synced: "Cloud drive",
      signedIn: true,
      stays: false,
    });
    expect(rows.map((row) => row.kind)).toEqual([...REACH_KINDS]);
    expect(rows.find((row) => row.kind === "administrator")?.reads).toMatchObject({
      answer: "partly",
      reason: expect.stringContaining("memory"),
    });
    expect(rows.find((row) => row.kind === "provider")?.reads).toMatchObject({
      answer: "partly",
      reason: expect.stringContaining("before it was locked"),
    });
  });
});
