import { execFileSync } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { LEAST_COST } from "../../src/crypto/kdf";
import { changeFolderPassword } from "../../src/engine/access/change-owner";
import { dropInto, ownDirPlace } from "../../src/engine/slot/drop-in";
import { fromSystemError } from "../../src/errors/eremos-error";
import { silentHooks } from "../../src/engine/ground/hooks";
import { mendFolder } from "../../src/engine/upkeep/mend";
import { mergeCopy } from "../../src/engine/visiting/merge-copy";
import { Visit, type VisitInput } from "../../src/engine/visiting/visit";
import { setInsurance } from "../../src/insurance/insure";
import { repairFolder } from "../../src/engine/upkeep/repair";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import type { Disk } from "../../src/platform/port";
import { stateFile } from "./records";
import { FOLDER, OWN_PASSWORD, type Scene, type Stage } from "./scene";
import { account, dirAt, name, put } from "./visiting";
import { type Person, lock, newDirectory, removeDirectory, snapshot, unlock } from "./world";
import { said } from "@eremos/words/core/errors";

/** What is done to a folder while it stays locked: visited, put into, mended, repaired, merged, put back. */
/** What is written in a visit is as old as the visit, and so are the directories that it changes. */
export function withoutTimes(lines: readonly string[]): readonly string[] {
  return lines.map((line) => line.replace(/mtime=\d+/, ""));
}

/** How the folder looks when something was done to its plain copy. */
function after(folder: string, change: (copy: string) => void): readonly string[] {
  const base = newDirectory();
  const copy = path.join(base, "copy");
  execFileSync("cp", ["-a", folder, copy]);
  change(copy);
  const lines = snapshot(copy);
  removeDirectory(base);
  return lines;
}

const inputOf = (person: Person, folder: string): VisitInput => ({
  path: Buffer.from(folder),
  access: person.access,
  keptHeader: null,
  expected: null,
  accept: [],
  account,
  keepEarlier: 1,
});
const packsIn = (folder: string): string[] =>
  fs
    .readdirSync(path.join(folder, ".eremos", "packs"), { recursive: true, encoding: "utf8" })
    .map((one) => path.join(folder, ".eremos", "packs", one))
    .filter((file) => fs.statSync(file).isFile());

async function visiting(disk: Disk, person: Person, folder: string, use: (visit: Visit) => void): Promise<void> {
  try {
    const visit = await Visit.open(disk, inputOf(person, folder));
    try {
      use(visit);
      visit.commit();
    } finally {
      visit.close();
    }
  } catch (error) {
    // As the process that visits does.
    throw fromSystemError(error, said("working"));
  }
}

async function lockedWithEdit(person: Person, folder: string): Promise<Pick<Scene, "acceptable">> {
  const first = snapshot(folder);
  await lock(folder, person.owner, { folder: FOLDER });
  const { note } = await unlock(folder, person.access);
  fs.writeFileSync(path.join(folder, "letter.txt"), "Dear Mara");
  fs.rmSync(path.join(folder, "inner", "second.bin"));
  const second = snapshot(folder, { withoutOwnDir: true });
  await lock(folder, person.owner, { folder: FOLDER, note, keepEarlier: 1 });
  return { acceptable: [first, second] };
}

/** A copy of the locked folder, on another place, in which a file was added: what is in it comes to the folder. */
async function copyWithMore(person: Person, folder: string): Promise<string> {
  const copy = path.join(newDirectory(), "Payroll");
  execFileSync("cp", ["-a", folder, copy]);
  const { note } = await unlock(copy, person.access);
  fs.writeFileSync(path.join(copy, "only in the copy.txt"), "only in the copy");
  await lock(copy, person.owner, { folder: FOLDER, note });
  return copy;
}

export const INSIDE: Readonly<Record<string, Stage>> = {
  "visited: a file written, one moved, one removed": async (person, folder) => {
    const large = Buffer.alloc(400_000, "new in the visit");
    const changed = after(folder, (copy) => {
      fs.writeFileSync(path.join(copy, "inner", "new.bin"), large, { mode: 0o644 });
      fs.renameSync(path.join(copy, "inner", "second.bin"), path.join(copy, "moved.bin"));
      fs.rmSync(path.join(copy, "link"));
    });
    const acceptable = [snapshot(folder), changed];
    await lock(folder, person.owner, { folder: FOLDER });
    return {
      folder,
      acceptable,
      shown: withoutTimes,
      run: (disk) =>
        visiting(disk, person, folder, (visit) => {
          put(visit, ["inner"], "new.bin", large);
          visit.move(dirAt(visit, "inner"), name("second.bin"), visit.root, name("moved.bin"));
          visit.remove(visit.root, name("link"));
        }),
    };
  },
  "visited: an earlier state put back": async (person, folder) => {
    const { acceptable } = await lockedWithEdit(person, folder);
    return {
      folder,
      acceptable,
      shown: withoutTimes,
      run: (disk) => visiting(disk, person, folder, (visit) => visit.putBack(1, null)),
    };
  },
  "a file put into the drop slot": async (person, folder) => {
    const outside = path.join(newDirectory(), "statement.pdf");
    fs.writeFileSync(outside, Buffer.alloc(200_000, "a statement of the bank, "), { mode: 0o600 });
    const acceptable = [
      snapshot(folder),
      after(folder, (copy) => fs.copyFileSync(outside, path.join(copy, "statement.pdf"))),
    ];
    const { publicKey } = await lock(folder, person.owner, { folder: FOLDER });
    const slot = {
      path: Buffer.from(folder),
      folder: FOLDER,
      publicKey,
      place: ownDirPlace(linuxDisk, Buffer.from(folder)),
      device: person.device.device,
    };
    return { folder, acceptable, shown: withoutTimes, run: (disk) => dropInto(disk, slot, [Buffer.from(outside)]) };
  },
  "insured, damaged, and repaired": async (person, folder) => {
    const before = snapshot(folder);
    await lock(folder, person.owner, { folder: FOLDER });
    setInsurance(linuxDisk, Buffer.from(folder), { data: 4, parity: 2 });
    const [largest = ""] = packsIn(folder).sort((a, b) => fs.statSync(b).size - fs.statSync(a).size);
    const bytes = fs.readFileSync(largest);
    bytes.fill(0xff, 300_000, 420_000);
    fs.writeFileSync(largest, bytes);
    return {
      folder,
      acceptable: [before],
      isDamaged: true,
      run: (disk) => repairFolder(disk, inputOf(person, folder), silentHooks),
    };
  },
  "with damaged records, mended": async (person, folder) => {
    const before = snapshot(folder);
    await lock(folder, person.owner, { folder: FOLDER });
    for (const file of ["header.json", stateFile(folder)]) fs.truncateSync(path.join(folder, ".eremos", file), 40);
    return {
      folder,
      acceptable: [before],
      run: (disk) => mendFolder(disk, { path: Buffer.from(folder), access: person.access, keptHeader: null }),
    };
  },
  "merged with a copy": async (person, folder) => {
    const acceptable = [
      snapshot(folder),
      after(folder, (copy) => fs.writeFileSync(path.join(copy, "only in the copy.txt"), "only in the copy")),
    ];
    await lock(folder, person.owner, { folder: FOLDER });
    const copy = await copyWithMore(person, folder);
    const secret = {
      kind: "root",
      rootKey: person.access.rootKey,
      folder: null,
      devices: person.access.devices,
    } as const;
    return {
      folder,
      acceptable,
      shown: withoutTimes,
      run: (disk) =>
        mergeCopy(
          disk,
          {
            copy: Buffer.from(copy),
            secret,
            fork: null,
            original: inputOf(person, folder),
            paths: [[name("only in the copy.txt")]],
          },
          silentHooks,
        ),
    };
  },
  "given a password of its own": async (person, folder) => {
    const before = snapshot(folder);
    await lock(folder, person.owner, { folder: FOLDER });
    return {
      folder,
      acceptable: [before],
      run: (disk) =>
        changeFolderPassword(
          disk,
          { path: Buffer.from(folder), access: person.access, keptHeader: null },
          { password: OWN_PASSWORD, hint: null, cost: LEAST_COST },
        ),
    };
  },
};
