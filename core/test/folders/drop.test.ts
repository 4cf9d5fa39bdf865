import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { DropUpload, dropInto, sealNewcomers } from "../../src/engine/slot/drop-in";
import { guardFolder } from "../support/guarding";
import { silentHooks } from "../../src/engine/ground/hooks";
import { inspectFolder } from "../../src/engine/guards/inspect";
import { recoverFolder } from "../../src/engine/guards/recover";
import { releaseOpenFolder } from "../support/guarding";
import type { Visit } from "../../src/engine/visiting/visit";
import { setInsurance } from "../../src/insurance/insure";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import type { Disk } from "../../src/platform/port";
import { directorySource } from "../../src/rescue/directory-source";
import { openLocked } from "../../src/rescue/locked-folder";
import { crashingDisk, failingDisk } from "../support/crashing-disk";
import { holdOpen } from "../support/holder";
import { strided } from "../support/stride";
import {
  PASSWORD,
  type Person,
  lock,
  newDirectory,
  newPerson,
  release,
  removeDirectory,
  unlock,
} from "../support/world";
import { lockedWithSlot, visitOf } from "../support/visiting";

const FOLDER = Buffer.alloc(16, 9).toString("hex");
const [NEAR, FAR] = [strided(11), strided(47)];

let person: Person;
let base: string;
let folder: string;
let outside: string;
let slot: Parameters<typeof dropInto>[1];
beforeAll(async () => {
  person = await newPerson();
});
beforeEach(async () => {
  base = newDirectory();
  folder = path.join(base, "Payroll");
  outside = path.join(base, "statement.pdf");
  await begin();
});
afterEach(() => removeDirectory(base));

async function begin(): Promise<void> {
  fs.rmSync(folder, { recursive: true, force: true });
  fs.mkdirSync(folder);
  fs.writeFileSync(path.join(folder, "letter.txt"), "Dear Jonas");
  fs.writeFileSync(outside, Buffer.alloc(200_000, "a statement of the bank, "), { mode: 0o640 });
  slot = await lockedWithSlot(person, folder, FOLDER);
}

const inspected = (): ReturnType<typeof inspectFolder> => inspectFolder(linuxDisk, Buffer.from(folder));
const visit = (): Promise<Visit> => visitOf(person, folder);
const drop = (...files: readonly string[]): Promise<number> =>
  dropInto(
    linuxDisk,
    slot,
    files.map((file) => Buffer.from(file)),
  );

describe("the drop slot", () => {
  it("takes files without any secret, shows nothing of them on disk, and gives them to the owner alone, who takes them in or discards them", async () => {
    fs.writeFileSync(path.join(base, "letter.txt"), "another letter");
    expect(await drop(outside, path.join(base, "letter.txt"))).toBe(2);
    expect(fs.existsSync(outside)).toBe(true);
    expect(inspected()).toMatchObject({ state: "sealed", drops: 2, arrivals: 0 });
    const written = fs
      .readdirSync(path.join(folder, ".eremos", "drops"))
      .map((name) => fs.readFileSync(path.join(folder, ".eremos", "drops", name), "latin1"))
      .join();
    for (const text of ["statement", Buffer.from("statement").toString("base64").slice(0, 10), "another letter"])
      expect(written).not.toContain(text);

    const visiting = await visit();
    const drops = await visiting.arrivals();
    expect(drops.map(({ path: names, size }) => [Buffer.concat([...names]).toString(), size])).toEqual([
      ["statement.pdf", 200_000],
      ["letter.txt", 14],
    ]);
    for (const one of drops.slice(1)) {
      visiting.takeIn(one);
      visiting.commit();
      one.remove();
    }
    drops[0]?.remove();
    for (const one of drops) one.close();
    visiting.close();
    expect(inspected()).toMatchObject({ drops: 0 });
    await release(folder, person.access);
    expect(fs.readdirSync(folder).sort()).toEqual(["letter (arrived while locked).txt", "letter.txt"]);
    expect(fs.readFileSync(path.join(folder, "letter (arrived while locked).txt"), "utf8")).toBe("another letter");
  });

  it("a file that comes slowly keeps nobody from the folder: others are put in, it is visited and opened meanwhile; what was on its way then is told as not put in, and leaves nothing", async () => {
    const content = fs.readFileSync(outside);
    const upload = (name: string, size = content.length): Promise<DropUpload> =>
      DropUpload.begin(linuxDisk, slot, Buffer.from(name), size);
    const left = (): string[] => fs.readdirSync(path.join(folder, ".eremos", "drops"));
    const [slow, other, given] = [await upload("slow.pdf"), await upload("other.pdf"), await upload("given up.pdf")];
    slow.append(content.subarray(0, 100_000));
    other.append(content);
    await other.finish();
    given.append(content.subarray(0, 70_000));
    await given.abort();
    slow.append(content.subarray(100_000));
    await slow.finish();
    // Of each, its content, its record and the twin of that.
    expect([inspected()?.drops, left().length]).toEqual([2, 6]);
    const late = await upload("late.pdf");
    late.append(content.subarray(0, 150_000));
    await unlock(folder, person.access);
    expect(["slow.pdf", "other.pdf"].map((name) => fs.readFileSync(path.join(folder, name)).equals(content))).toEqual([
      true,
      true,
    ]);
    late.append(content.subarray(150_000));
    await expect(late.finish()).rejects.toMatchObject({ code: "not-locked" });
    await late.abort();
    await lock(folder, person.owner, { folder: FOLDER, note: null });
    const visited = await upload("visited.pdf");
    visited.append(content);
    const visiting = await visit();
    await expect(visited.finish()).rejects.toMatchObject({ code: "busy" });
    for (const one of await visiting.arrivals()) one.close();
    visiting.close();
    await expect(visited.finish()).rejects.toMatchObject({ code: "changed-while-locking" });
    await visited.abort();
    expect([inspected()?.drops, fs.existsSync(path.join(folder, ".eremos", "drops")) ? left() : []]).toEqual([0, []]);
    await expect(upload("too large.bin", Number.MAX_SAFE_INTEGER)).rejects.toMatchObject({ code: "no-space" });
    await release(folder, person.access);
    expect(fs.readdirSync(folder).sort()).toEqual(["letter.txt", "other.pdf", "slow.pdf"]);
  });

  it("an opening or a release takes them out beside what is there, with their times", async () => {
    fs.utimesSync(outside, 1_500_000_000, 1_500_000_000);
    await drop(outside);
    await unlock(folder, person.access);
    const file = path.join(folder, "statement.pdf");
    expect(fs.readFileSync(file).equals(fs.readFileSync(outside))).toBe(true);
    expect([fs.statSync(file).mtimeMs, fs.statSync(file).mode & 0o777]).toEqual([1_500_000_000_000, 0o640]);
    await expect(drop(outside)).rejects.toMatchObject({ code: "not-locked" });
    await lock(folder, person.owner, { folder: FOLDER });
    await drop(outside);
    await release(folder, person.access);
    expect(fs.readdirSync(folder).sort()).toEqual([
      "letter.txt",
      "statement (arrived while locked).pdf",
      "statement.pdf",
    ]);
  });

  it("what a program saves into the locked folder in view is sealed with its tree; what is in use, linked or not a file stays", async () => {
    fs.mkdirSync(path.join(folder, "scans", "march"), { recursive: true });
    fs.writeFileSync(path.join(folder, "scans", "march", "1.png"), "scanned");
    fs.writeFileSync(path.join(folder, "saved.txt"), "saved");
    fs.writeFileSync(path.join(folder, "in use.txt"), "being written");
    fs.symlinkSync("/etc/hostname", path.join(folder, "a link"));
    const writer = await holdOpen(path.join(folder, "in use.txt"));
    try {
      expect(await sealNewcomers(linuxDisk, slot)).toBe(2);
    } finally {
      writer.kill("SIGKILL");
    }
    expect(fs.readdirSync(folder).sort()).toEqual([".eremos", "Locked with Eremos.html", "a link", "in use.txt"]);
    expect(inspected()).toMatchObject({ drops: 2, arrivals: 2 });
    const visiting = await visit();
    const drops = await visiting.arrivals();
    for (const one of drops) visiting.takeIn(one);
    visiting.commit();
    for (const one of drops) {
      one.remove();
      one.close();
    }
    visiting.close();
    await release(folder, person.access);
    expect(fs.readFileSync(path.join(folder, "scans", "march", "1.png"), "utf8")).toBe("scanned");
    expect(fs.readFileSync(path.join(folder, "saved.txt"), "utf8")).toBe("saved");
  });

  it("a damaged or forged one is left out, keeps the rest from nobody, and is in nobody's way but a release's", async () => {
    await drop(outside);
    const drops = path.join(folder, ".eremos", "drops");
    const [object = ""] = fs.readdirSync(drops).filter((name) => !name.endsWith(".json"));
    fs.truncateSync(path.join(drops, object), 1000);
    await unlock(folder, person.access);
    expect(fs.readdirSync(folder).sort()).toEqual([".eremos", "letter.txt"]);
    await expect(releaseOpenFolder(linuxDisk, Buffer.from(folder))).rejects.toThrow("could not be taken out");
    await expect(
      guardFolder(
        linuxDisk,
        {
          path: Buffer.from(folder),
          folder: FOLDER,
          owner: person.owner.owner,
          guard: "barred",
          bars: { others: "nothing", own: "everything" },
          visibility: "view",
          places: [],
        },
        silentHooks,
      ),
    ).rejects.toMatchObject({ code: "unsupported" });
    expect(fs.readFileSync(path.join(folder, "letter.txt"), "utf8")).toBe("Dear Jonas");
  });

  it("a record that lies there under another name too is no second file, and comes out no second time", async () => {
    await drop(outside);
    const drops = path.join(folder, ".eremos", "drops");
    const [record = ""] = fs
      .readdirSync(drops)
      .filter((name) => name.endsWith(".json") && !name.endsWith(".twin.json"));
    fs.copyFileSync(path.join(drops, record), path.join(drops, `${"5".repeat(32)}.json`));
    await unlock(folder, person.access);
    expect(fs.readdirSync(folder).sort()).toEqual([".eremos", "letter.txt", "statement.pdf"]);
  });

  it.each(["wrong bytes in", "neither of"])(
    "insured, with %s its two records, it opens by the third copy, for Eremos and without; taken out, no copy is left",
    async (how) => {
      setInsurance(linuxDisk, Buffer.from(folder), { data: 20, parity: 2 });
      await drop(outside);
      const drops = path.join(folder, ".eremos", "drops");
      for (const name of fs.readdirSync(drops).filter((one) => one.endsWith(".json"))) {
        if (how === "neither of") fs.rmSync(path.join(drops, name));
        else
          fs.writeFileSync(
            path.join(drops, name),
            fs.readFileSync(path.join(drops, name), "utf8").replace(/"sealed"/, '"Sealed"'),
          );
      }
      expect(inspected()).toMatchObject({ drops: 1 });
      const locked = await openLocked(directorySource(Buffer.from(folder)), {
        kind: "password",
        password: PASSWORD,
        folderPassword: null,
      });
      expect((await locked.drops()).map(({ content }) => content)).toEqual([fs.readFileSync(outside)]);
      locked.close();
      const visiting = await visit();
      visiting.commit();
      visiting.close();
      await unlock(folder, person.access);
      expect(fs.readFileSync(path.join(folder, "statement.pdf"))).toEqual(fs.readFileSync(outside));
      expect(fs.readdirSync(drops)).toEqual([]);
      expect(
        fs.readdirSync(path.join(folder, ".eremos", "insurance")).filter((name) => name.startsWith("drops.")),
      ).toEqual([]);
    },
  );
});

/** What the owner gets: the contents of the statement, once or twice, and nothing half written. */
async function received(): Promise<readonly string[]> {
  recoverFolder(linuxDisk, Buffer.from(folder));
  await release(folder, person.access);
  return fs
    .readdirSync(folder)
    .filter((name) => name !== "letter.txt")
    .map((name) => fs.readFileSync(path.join(folder, name), "latin1"));
}

describe.each([
  [
    "crash",
    (at: number): { disk: Disk; hit: () => boolean } => {
      const { disk, crashed } = crashingDisk(linuxDisk, at, "after");
      return { disk, hit: crashed };
    },
  ],
  [
    "EIO",
    (at: number) => {
      const { disk, failed } = failingDisk(linuxDisk, at, "EIO");
      return { disk, hit: () => failed() !== null };
    },
  ],
] as const)("%s", (_name, make) => {
  it(`at ${NEAR.of("call")}, a newcomer is where it was, or waits encrypted; never neither`, async () => {
    for (let at = NEAR.from; ; at += NEAR.step) {
      await begin();
      fs.copyFileSync(outside, path.join(folder, "statement.pdf"));
      const { disk, hit } = make(at);
      await sealNewcomers(disk, slot).catch(() => undefined);
      const got = await received();
      expect(new Set(got), `call ${at}`).toEqual(new Set([fs.readFileSync(outside, "latin1")]));
      if (!hit()) return;
    }
  });

  it(`at ${FAR.of("call")}, taken out by an opening, it is in the folder, or still waits`, async () => {
    for (let at = FAR.from; ; at += FAR.step) {
      await begin();
      await drop(outside);
      const { disk, hit } = make(at);
      await unlock(folder, person.access, { disk }).catch(() => undefined);
      recoverFolder(linuxDisk, Buffer.from(folder));
      if (inspected()?.state === "open") await lock(folder, person.owner, { folder: FOLDER, note: null });
      const got = await received();
      expect(new Set(got), `call ${at}`).toEqual(new Set([fs.readFileSync(outside, "latin1")]));
      if (!hit()) return;
    }
  });
});
