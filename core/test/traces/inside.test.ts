import { spawn } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { fileAddress, silentHooks } from "../../src/engine/ground";
import { newId } from "../../src/format/ids";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { type TracesInput, clearTraces, findTraces } from "../../src/traces";
import { isLeftOf } from "../../src/traces/kinds/leftovers";
import { putBelow, traceHome } from "./remembered";
import { inputOf } from "../support/visiting";
import { type Person, lock, newDirectory, newPerson, removeDirectory } from "../support/world";

let person: Person;
beforeAll(async () => {
  person = await newPerson();
});
let base: string;
let folder: string;
beforeEach(async () => {
  base = fs.realpathSync(newDirectory());
  folder = path.join(base, "places", "Adoption papers");
  put("Confidential.\n", "places/Adoption papers/court letter.txt");
  put("Call the court.\n", "places/Adoption papers/deep/notes.md");
  put("", "places/Adoption papers/empty.txt");
  const sparse = fs.openSync(path.join(folder, "disk image"), "w");
  fs.writeSync(sparse, "beginning", 0);
  fs.writeSync(sparse, "end", 4 * 1024 * 1024);
  fs.closeSync(sparse);
  await lock(folder, person.owner, { folder: newId() });
  expect(fs.readdirSync(folder)).not.toContain("court letter.txt");
});
afterEach(() => removeDirectory(base));

const at = (...parts: string[]): string => path.join(base, ...parts);
const put = (content: string | Buffer, ...parts: string[]): string => putBelow(base, content, ...parts);
const looking = (): TracesInput => ({
  home: traceHome(base),
  folder: Buffer.from(folder),
  inside: { ...inputOf(person, folder), places: [Buffer.from(at("places"))] },
});
async function told(input = looking()): Promise<string[]> {
  const { traces, troubles } = await findTraces(linuxDisk, input);
  expect(troubles).toEqual([]);
  return traces.map(
    ({ kind, where, isSure, clearable }) =>
      `${kind} ${path.relative(base, String(where))}${isSure ? "" : ", perhaps"}${clearable ? "" : ", not by Eremos"}`,
  );
}

describe("what is in a sealed folder is known elsewhere", () => {
  it("by its contents, byte for byte, whatever it is called there, and never by what only looks like it", async () => {
    put("Confidential.\n", "places/Letters/renamed.bak");
    put("Confidential!\n", "places/Letters/of the same length.txt");
    put("Confidential.\nMore.\n", "places/Letters/longer.txt");
    put("", "places/Letters/empty too.txt");
    put("Call the court.\n", "share/Trash/files/thrown away.md");
    fs.symlinkSync(at("places/Letters/renamed.bak"), at("places/link to it"));
    expect(await told()).toEqual([
      "copies places/Letters/renamed.bak, perhaps",
      "copies share/Trash/files/thrown away.md, perhaps",
    ]);
  });

  it("also where it has holes, and one that has other bytes in their place is not the same", async () => {
    const whole = Buffer.alloc(4 * 1024 * 1024 + 3);
    whole.write("beginning", 0);
    whole.write("end", 4 * 1024 * 1024);
    put(whole, "places/copy without holes");
    whole.write("in the hole", 2 * 1024 * 1024);
    put(whole, "places/something in the hole");
    expect(await told()).toEqual(["copies places/copy without holes, perhaps"]);
  });

  it("in the directories for what is not to last, by contents or by name", async () => {
    put("Confidential.\n", "tmp/program-1/attachment");
    put("another draft", "tmp/court letter.txt");
    put("another", "tmp/letter.txt");
    expect((await told()).sort()).toEqual([
      "temporary tmp/court letter.txt, perhaps",
      "temporary tmp/program-1/attachment, perhaps",
    ]);
  });

  it("in what was typed at a shell by the name of a file alone, which may be another's", async () => {
    put("cat notes.md\ncat other.md\ncd 'Adoption papers'\n", ".bash_history");
    expect(await told()).toEqual(["shell .bash_history, perhaps", "shell .bash_history, perhaps"]);
  });

  it("in what programs leave that keep directories in step", async () => {
    put("a second version", "places/synced/court letter (conflicted copy 2026-01-03).txt");
    put("half of it", "places/synced/.court letter.txt.part");
    put("before", "places/synced/versions/notes~20260103-101500.md");
    put("of its own", "places/synced/other notes.md");
    expect((await told()).sort()).toEqual([
      "leftovers places/synced/.court letter.txt.part, perhaps",
      "leftovers places/synced/court letter (conflicted copy 2026-01-03).txt, perhaps",
      "leftovers places/synced/versions/notes~20260103-101500.md, perhaps",
    ]);
  });

  it("and is left where something else was put in its place between finding and clearing it", async () => {
    const copy = put("Confidential.\n", "places/Letters/renamed.bak");
    let isDone = false;
    const meddled = new Proxy(linuxDisk, {
      get: (target, name: keyof typeof linuxDisk) => {
        const its = target[name];
        if (name !== "openRoot" || typeof its !== "function") return its;
        return (...given: readonly unknown[]): unknown => {
          if (String(given[0]) === path.dirname(copy) && !isDone) {
            isDone = true;
            fs.renameSync(copy, `${copy}.away`);
            fs.writeFileSync(copy, "something else");
          }
          return Reflect.apply(its, target, given) as unknown;
        };
      },
    });
    const asked = { ...looking(), ids: null, kinds: ["copies"] as const, onlySure: false, keep: null };
    const { ids, left } = await clearTraces(meddled, asked, silentHooks);
    expect([ids, left.length, isDone]).toEqual([[], 1, true]);
    expect(fs.readFileSync(copy, "utf8")).toBe("something else");
  });

  it("and none of it is cleared that was not chosen one by one or by its kind", async () => {
    const copy = put("Confidential.\n", "places/Letters/renamed.bak");
    const draft = put("another draft", "tmp/court letter.txt");
    const asked = { ...looking(), ids: null, onlySure: true, keep: null };
    expect((await clearTraces(linuxDisk, { ...asked, kinds: null }, silentHooks)).ids).toEqual([]);
    expect(
      (await clearTraces(linuxDisk, { ...asked, kinds: ["copies"], onlySure: false }, silentHooks)).ids,
    ).toHaveLength(1);
    expect([fs.existsSync(copy), fs.existsSync(draft)]).toEqual([false, true]);
  });

  it("is told of as not looked for where the folder can't be opened, and traces of its path are found all the same", async () => {
    put(`file://${encodeURI(folder)}\n`, "config/gtk-3.0/bookmarks");
    const stranger = await newPerson();
    const { traces, troubles } = await findTraces(linuxDisk, {
      ...looking(),
      inside: { ...inputOf(stranger, folder), places: [Buffer.from(at("places"))] },
    });
    expect([traces.map(({ kind }) => kind), troubles.map(({ kind }) => kind)]).toEqual([["bookmarks"], ["copies"]]);
  });
});

it("names of second versions, parts and earlier versions are told from others", () => {
  const names = new Set(["plan.md", "budget", "a.b.c"]);
  for (const name of [
    "plan (Ines's conflicted copy 2026-01-03).md",
    "plan.sync-conflict-20260103-101500-ABCDEFG.md",
    "plan_conflict-20260103-101500.md",
    "plan~20260103-101500.md",
    "plan.md.part",
    ".plan.md.tmp",
    "~plan.md",
    "plan.md~",
    "budget.partial",
    ".stepper.plan.md.tmp",
  ])
    expect(isLeftOf(Buffer.from(name), names), name).toBe(true);
  for (const name of ["plan.md", "my plan.md", "plan.txt", "plan (draft).md", "conflict.md", "budget 2026", ".plan"])
    expect(isLeftOf(Buffer.from(name), names), name).toBe(false);
});

describe("what can be found and not cleared is said", () => {
  it("databases of the desktop that hold the folder's path or address", async () => {
    put(
      Buffer.concat([Buffer.alloc(2_000_000, 1), Buffer.from(fileAddress(Buffer.from(folder)))]),
      "cache/tracker3/files/meta.db",
    );
    put("of another folder", "cache/tracker3/files/other.db");
    put("..\0places\0Adoption papers\0..", "share/gvfs-metadata/home");
    put("..\0Adoption papers of others\0..", "share/gvfs-metadata/root");
    expect(await told()).toEqual([
      "metadata share/gvfs-metadata/home, not by Eremos",
      "indexes cache/tracker3/files/meta.db, not by Eremos",
    ]);
  });

  it("snapshots in which it still lies readable", async () => {
    put("old", ".snapshots/12/snapshot/places/Adoption papers/court letter.txt");
    put("old", ".snapshots/13/snapshot/places/other/court letter.txt");
    const found = await told();
    expect(found).toEqual(["snapshots .snapshots/12/snapshot/places/Adoption papers, not by Eremos"]);
  });

  it("programs that hold a file of it, also one that was removed", async () => {
    const file = put("held", "places/Adoption papers/held.txt");
    const holder = spawn("tail", ["-f", file], { stdio: "ignore" });
    try {
      const links = (): string[] =>
        fs.readdirSync(`/proc/${holder.pid}/fd`).map((fd) => {
          try {
            return fs.readlinkSync(`/proc/${holder.pid}/fd/${fd}`);
          } catch {
            return "";
          }
        });
      await expect.poll(links).toContain(file);
      fs.rmSync(file);
      const { traces } = await findTraces(linuxDisk, looking());
      expect(traces.map(({ kind, where, clearable }) => [kind, String(where), clearable])).toEqual([
        ["programs", `tail (${holder.pid})`, false],
      ]);
    } finally {
      holder.kill();
    }
  });
});
