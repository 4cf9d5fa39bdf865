import { spawnSync } from "node:child_process";
import { createHash } from "node:crypto";
import * as fs from "node:fs";
import * as path from "node:path";
import { fileURLToPath } from "node:url";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { LEAST_COST } from "../../src/crypto/kdf";
import { silentHooks } from "../../src/engine/ground/hooks";
import { renewFolder, sealAnew } from "../../src/engine/access/renew";
import { withNewKeys } from "../../src/format/owner";
import { newRecoveryCode } from "../../src/format/codes/recovery-code";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import {
  NEW_PASSWORD,
  PASSWORD,
  type Person,
  lock,
  makeMixedTree,
  newDirectory,
  newPerson,
  removeDirectory,
  unlock,
} from "../support/world";

const READER = fileURLToPath(new URL("reader/read_sealed_folder.py", import.meta.url));

interface Entry {
  readonly mode: number;
  readonly mtime: string;
  readonly size?: number;
  readonly sha256?: string;
  readonly target?: string;
  readonly group?: number;
}
interface Read {
  readonly place: string;
  readonly files: number;
  readonly entries: Readonly<Record<string, Entry>>;
}

function readAsStranger(folder: string | Buffer, ...secrets: readonly string[]): Read {
  const { status, stdout, stderr } = spawnSync("/usr/bin/python3", [READER, folder.toString()], {
    input: `${secrets.join("\n")}\n`,
    encoding: "utf8",
    maxBuffer: 64 * 1024 * 1024,
  });
  expect(stderr).toBe("");
  expect(status).toBe(0);
  return JSON.parse(stdout) as Read;
}

/** The same facts, taken from the real tree. */
function entriesOf(folder: string): Record<string, Entry> {
  const found: Record<string, Entry> = {};
  const visit = (at: Buffer, shown: Buffer): void => {
    const stat = fs.lstatSync(at, { bigint: true });
    const common = { mode: Number(stat.mode) & 0o7777, mtime: String(stat.mtimeNs) };
    if (stat.isFile())
      found[shown.toString("hex")] = {
        ...common,
        size: Number(stat.size),
        sha256: createHash("sha256").update(fs.readFileSync(at)).digest("hex"),
      };
    else if (stat.isSymbolicLink())
      found[shown.toString("hex")] = { ...common, target: fs.readlinkSync(at, { encoding: "buffer" }).toString("hex") };
    else found[shown.toString("hex")] = common;
    if (!stat.isDirectory()) return;
    for (const name of fs.readdirSync(at, { encoding: "buffer" })) {
      if (!name.equals(Buffer.from(".eremos")))
        visit(Buffer.concat([at, Buffer.from("/"), name]), Buffer.concat([shown, Buffer.from("/"), name]));
    }
  };
  visit(Buffer.from(folder), Buffer.alloc(0));
  return found;
}

describe("a reader in another language, written from docs/FORMAT.md alone", () => {
  let person: Person;
  let base: string;
  let folder: string;
  beforeAll(async () => {
    person = await newPerson();
    base = newDirectory();
    folder = path.join(base, "Payroll");
    fs.mkdirSync(folder);
    makeMixedTree(folder);
  });
  afterAll(() => removeDirectory(base));

  it("reads what was locked while signed out, and then changed and locked again, by password and by code", async () => {
    const first = entriesOf(folder);
    const { folder: id } = await lock(folder, person.device);
    const read = readAsStranger(folder, `password ${PASSWORD}`);
    expect(read.entries).toMatchObject(first);
    expect(Object.keys(read.entries)).toHaveLength(Object.keys(first).length);
    expect(Buffer.from(read.place, "hex").toString()).toBe(folder);

    const { note } = await unlock(folder, person.access);
    fs.appendFileSync(path.join(folder, "letter.txt"), "PS");
    fs.rmSync(path.join(folder, "script.sh"));
    const second = entriesOf(folder);
    const { realPath } = await lock(folder, person.device, { folder: id, note, visibility: "hidden" });
    const again = readAsStranger(realPath, `code ${person.code}`);
    expect(again.entries).toMatchObject(second);
    expect(Object.keys(again.entries)).toHaveLength(Object.keys(second).length);
    expect(Object.values(again.entries).filter((entry) => entry.group === 1)).toHaveLength(2);
  });

  it("reads a folder that has a password of its own, by both passwords and by the code alone", async () => {
    const own = path.join(base, "Adoption papers");
    fs.mkdirSync(own);
    fs.writeFileSync(path.join(own, "letter.txt"), "private");
    const first = entriesOf(own);
    if (person.owner.by !== "owner") throw new TypeError("owner: signs in");
    await lock(own, { ...person.owner, password: { password: "gut strings", hint: null, cost: LEAST_COST } });
    expect(readAsStranger(own, `password ${PASSWORD}`, "gut strings").entries).toMatchObject(first);
    expect(readAsStranger(own, `code ${person.code}`).entries).toMatchObject(first);
    fs.rmSync(own, { recursive: true });
  });

  it("reads a folder whose owner has made new keys, before and after its contents are sealed anew", async () => {
    const own = path.join(base, "Known to somebody");
    fs.mkdirSync(own);
    makeMixedTree(own);
    const first = entriesOf(own);
    const { header, generation, digest } = await lock(own, person.device);
    const code = newRecoveryCode();
    const { envelope, rootKey } = await withNewKeys(person.access.owner, person.access.rootKey, {
      password: NEW_PASSWORD,
      code,
      cost: LEAST_COST,
      at: 5,
    });
    const input = {
      path: Buffer.from(own),
      access: { ...person.access, owner: envelope, rootKey },
      expected: { generation, digest },
      accept: [],
    };
    const keptHeader = await renewFolder(linuxDisk, { ...input, keptHeader: header, password: null });
    expect(readAsStranger(own, `password ${NEW_PASSWORD}`).entries).toMatchObject(first);
    await sealAnew(linuxDisk, { ...input, keptHeader, account: { uid: 0, gid: 0 } }, silentHooks);
    expect(readAsStranger(own, `code ${code}`).entries).toMatchObject(first);
    fs.rmSync(own, { recursive: true });
  });

  it("refuses a wrong password", () => {
    const [hidden = ""] = fs.readdirSync(base);
    const { status, stderr } = spawnSync("/usr/bin/python3", [READER, path.join(base, hidden)], {
      input: "password wrong\n",
      encoding: "utf8",
    });
    expect(status).not.toBe(0);
    expect(stderr).toContain("another key");
  });
});
