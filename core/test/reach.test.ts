import { spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { guardFolder, openGuarded } from "../src/engine/guarded";
import { silentHooks } from "../src/engine/hooks";
import { locateFolder } from "../src/engine/locate";
import { type Bars, NO_BARS } from "../src/format/guard-record";
import { VISIBILITIES, type Visibility } from "../src/format/state";
import { type Answer, REACH_KINDS, type Reach, reachOf } from "../src/onlooker/reach";
import { linuxDisk } from "../src/platform/linux/linux-disk";
import { FOLDER } from "./scenes";
import { OTHER, OWN, ROOT, asOwner, runAs } from "./accounts";
import { type Person, lock, newDirectory, newPerson, removeDirectory, unlock } from "./world";

/** Every cell against the real system: real listings, and real attempts to read, change and delete by processes of real accounts. */
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
  for (const name of ["letter.txt", "inner/sums.csv"]) fs.writeFileSync(path.join(folder, name), "Dear Jonas, twelve violins", { mode: 0o666 });
  for (const name of ["", "inner"]) fs.chmodSync(path.join(folder, name), 0o777);
  for (const name of ["letter.txt", "inner/sums.csv"]) fs.chmodSync(path.join(folder, name), 0o666);
  spawnSync("chown", ["-R", `${OWN}:${OWN}`, home]);
});
afterEach(() => removeDirectory(base));

const HEX = /^\.[0-9a-f]{20}$/m;

/** What somebody finds by looking around with a file lister, with hidden entries or without: in the place, and in every hidden directory above it. */
function finds(account: number, hiddenToo: boolean): Answer {
  const list = hiddenToo ? "ls -A" : "ls";
  if (runAs(account, `${list} '${home}/Workshop'`).out.split("\n").includes("Payroll")) return "yes";
  if (!hiddenToo) return "no";
  return HEX.test(runAs(account, `ls -A '${home}/Workshop'`).out) || HEX.test(runAs(account, `ls -A '${home}/.eremos-held'`).out) ? "partly" : "no";
}

interface Tried {
  readonly exists: Answer;
  readonly names: boolean;
  readonly reads: boolean;
  readonly changes: boolean;
  readonly deletes: boolean;
}

/** Attempts on a copy would prove nothing, so each is made on the folder itself, and taken back. */
function attempts(account: number, hiddenToo: boolean, at: string): Tried {
  const exists = finds(account, hiddenToo);
  if (exists === "no") return { exists, names: false, reads: false, changes: false, deletes: false };
  const names = runAs(account, `find '${at}' 2>/dev/null`).out.includes("letter.txt") || runAs(account, `ls '${at}'`).out.includes("letter.txt");
  const reads = runAs(account, `grep -rl 'twelve violins' '${at}'`).out.trim() !== "" || runAs(account, `cat '${at}/letter.txt'`).out.includes("twelve violins");
  const changes = ["letter.txt", "inner/sums.csv"].some((name) => fs.existsSync(path.join(at, name)) && runAs(account, `printf '' >> '${at}/${name}'`).ok);
  const [entry] = fs.readdirSync(at).filter((name) => name !== "letter.txt");
  const deletes = runAs(account, `mv '${at}/${entry}' '${at}/${entry}.x' && mv '${at}/${entry}.x' '${at}/${entry}'`).ok || runAs(account, `mv '${at}/inner/sums.csv' '${at}/inner/x' && mv '${at}/inner/x' '${at}/inner/sums.csv'`).ok;
  return { exists, names, reads, changes, deletes };
}

const toAnswer = (did: boolean): Answer => (did ? "yes" : "no");
const answers = ({ exists, names, reads, changes, deletes }: Reach): Record<string, Answer> => ({ exists: exists.answer, names: names.answer, reads: reads.answer, changes: changes.answer, deletes: deletes.answer });
const tried = ({ exists, ...did }: Tried): Record<string, Answer> => ({ exists, ...Object.fromEntries(Object.entries(did).map(([name, done]) => [name, toAnswer(done as boolean)])) });

function look(now: string): Promise<ReadonlyMap<string, Reach>> {
  return asOwner(() => {
    const located = locateFolder(linuxDisk, Buffer.from(folder), FOLDER);
    if (!located) throw new Error(`not found: ${now}`);
    return new Map(reachOf({ realPath: located.realPath.toString(), inspection: located.inspection, synced: null, signedIn: false, stays: false }).map((row) => [row.kind, row]));
  });
}

async function compare(now: string): Promise<void> {
  const rows = await look(now);
  const real: Record<string, Tried> = {
    keyboard: attempts(OWN, false, now), "keyboard-hidden-shown": attempts(OWN, true, now), account: attempts(OTHER, true, now), administrator: attempts(ROOT, true, now), disk: attempts(ROOT, true, now),
  };
  for (const [kind, did] of Object.entries(real)) {
    const row = rows.get(kind);
    expect(row && answers(row), `${kind} at ${now}`).toEqual(tried(did));
    for (const part of row ? [row.exists, row.names, row.reads, row.changes, row.deletes] : []) expect(part.reason).toMatch(/^[A-Z].*\.$/);
  }
}

const places = (): Buffer[] => [Buffer.from(home)];

const BARS: readonly Bars[] = [
  { others: "nothing", own: "everything" }, { others: "list", own: "read" }, { others: "read", own: "change" }, { others: "change", own: "everything" }, { others: "nothing", own: "nothing" },
];

describe.runIf(process.getuid?.() === 0)("who could get at it, cell by cell against the real system", () => {
  it.each(VISIBILITIES)("sealed, %s: locked, and open", async (visibility) => {
    const locked = await asOwner(() => lock(folder, person.owner, { folder: FOLDER, visibility, places: places() }));
    await compare(locked.realPath.toString());
    await asOwner(() => unlock(locked.realPath, person.access));
    await compare(folder);
  });

  it.each(BARS.flatMap((bars) => VISIBILITIES.map((visibility) => ({ ...bars, visibility }))))("barred, $visibility, others: $others, this account: $own; and open", async ({ visibility, ...bars }) => {
    await guardAndCompare("barred", bars, visibility);
  });

  it.each(["hidden", "tucked"] as const)("out of sight, %s; and open", async (visibility) => {
    await guardAndCompare("sight", NO_BARS, visibility);
  });

  async function guardAndCompare(guard: "barred" | "sight", bars: Bars, visibility: Visibility): Promise<void> {
    const input = { guard, bars, visibility, path: Buffer.from(folder), folder: FOLDER, owner: person.owner.owner, places: places() };
    const { path: now } = await asOwner(() => guardFolder(linuxDisk, input, silentHooks));
    await compare(now.toString());
    await asOwner(() => openGuarded(linuxDisk, { path: now, place: Buffer.from(folder) }));
    await compare(folder);
  }

  it("a private directory above keeps other accounts out of everything", async () => {
    fs.chmodSync(home, 0o700);
    const { path: now } = await asOwner(() => guardFolder(linuxDisk, { guard: "sight", bars: NO_BARS, visibility: "hidden", path: Buffer.from(folder), folder: FOLDER, owner: person.owner.owner, places: places() }, silentHooks));
    await compare(now.toString());
  });

  it("an account of its group, or one that an access list names, is told of where others are refused", async () => {
    const games = 60;
    for (const name of ["", "inner", "letter.txt", "inner/sums.csv"]) {
      fs.chownSync(path.join(folder, name), OWN, games);
      fs.chmodSync(path.join(folder, name), name.includes(".") ? 0o640 : 0o750);
    }
    spawnSync("setfacl", ["-m", `u:${OTHER}:r`, path.join(folder, "letter.txt")]);
    const { path: now } = await asOwner(() => guardFolder(linuxDisk, { guard: "barred", bars: { others: "read", own: "everything" }, visibility: "view", path: Buffer.from(folder), folder: FOLDER, owner: person.owner.owner, places: places() }, silentHooks));
    expect(spawnSync("cat", [path.join(folder, "letter.txt")], { uid: 5, gid: games }).status).toBe(0);
    expect(runAs(OTHER, `cat '${folder}/letter.txt'`).ok).toBe(false);
    expect((await look(now.toString())).get("account")).toMatchObject({ reads: { answer: "partly", reason: expect.stringContaining("of its group") }, changes: { answer: "no" } });
  });

  it("says what encryption does not stop: a running computer, and what a provider got before", async () => {
    const { realPath } = await lock(folder, person.owner, { folder: FOLDER });
    const inspection = locateFolder(linuxDisk, Buffer.from(folder), FOLDER)?.inspection;
    if (!inspection) throw new Error("not found");
    const rows = reachOf({ realPath: realPath.toString(), inspection, synced: "Cloud drive", signedIn: true, stays: false });
    expect(rows.map((row) => row.kind)).toEqual([...REACH_KINDS]);
    expect(rows.find((row) => row.kind === "administrator")?.reads).toMatchObject({ answer: "partly", reason: expect.stringContaining("memory") });
    expect(rows.find((row) => row.kind === "provider")?.reads).toMatchObject({ answer: "partly", reason: expect.stringContaining("before it was locked") });
  });
});
