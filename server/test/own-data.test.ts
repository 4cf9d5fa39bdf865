import { generateKeyPairSync } from "node:crypto";
import * as fs from "node:fs";
import * as path from "node:path";
import Database from "better-sqlite3";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { fromBase64, sealTo } from "@eremos/core";
import { drop } from "../src/operations/folders/drop";
import { scanPlaces, takeIn } from "../src/operations/ways-back/find-folders";
import { tellNoMore } from "../src/database/open";
import { listFolders } from "../src/operations/folders/list-folders";
import { resetPassword } from "../src/operations/entrance/forgotten-password";
import { lock } from "../src/operations/locking/lock-folder";
import { unlock } from "../src/operations/locking/open-folder";
import { recoverInterrupted } from "../src/operations/ways-back/recover-interrupted";
import { signOut } from "../src/operations/entrance/sign-in";
import { Backing, CAN_MOUNT } from "../../core/test/support/mounts";
import { TestHouse, sealedAnd } from "./house";

/** Eremos' own data may have been restored, kept in step, or edited by somebody; and one folder may be in trouble. */
let house: TestHouse;
beforeEach(async () => {
  house = await TestHouse.make();
  await house.signIn();
});
afterEach(() => house.remove());

const seal = (folder: string): Promise<unknown> =>
  lock(house.eremos, { path: folder, protection: sealedAnd("view"), inUseAnyway: false, from: "/" }).then(
    ({ outcome }) => outcome,
  );
const open = async (folder: string): Promise<unknown> =>
  (await unlock(house.eremos, { pathOrId: folder, from: "/", accept: [], mode: { kind: "until-locked" } })).outcome;
const idOf = (folder: string): string => listFolders(house.eremos).find(({ path: at }) => at === folder)?.id ?? "";

/** Edits the database as another program would, with nothing of Eremos running. */
async function edit(change: (database: Database.Database) => void): Promise<void> {
  signOut(house.eremos);
  house.eremos.close();
  const database = new Database(path.join(house.data, "eremos.db"));
  change(database);
  database.close();
  house.restart();
  await house.signIn();
}

describe("one damaged row", () => {
  it.each([
    [
      "a flipped bit",
      (database: Database.Database, id: string): void => {
        const { sealed } = database.prepare("select sealed from folders where id = ?").get(id) as { sealed: Buffer };
        sealed[sealed.length >> 1] = (sealed[sealed.length >> 1] ?? 0) ^ 1;
        database.prepare("update folders set sealed = ? where id = ?").run(sealed, id);
      },
    ],
    [
      "a row cut off",
      (database: Database.Database, id: string): void =>
        void database.prepare("update folders set sealed = ? where id = ?").run(Buffer.from("x"), id),
    ],
  ])(
    "%s: is one card of the list; the rest works, and the folder is taken in again from the disk",
    async (_name, spoil) => {
      const [bills, letters] = [house.makeFolder("Bills"), house.makeFolder("Letters")];
      await seal(bills);
      await seal(letters);
      const id = idOf(bills);
      await edit((database) => spoil(database, id));
      expect(
        listFolders(house.eremos)
          .map(({ id: which, state, attention }) => [which === id, state, attention?.includes("damaged") ?? false])
          .sort(),
      ).toEqual([
        [false, "locked", false],
        [true, "damaged", true],
      ]);
      await open(letters);
      expect(fs.readFileSync(path.join(letters, "letter.txt"), "utf8")).toBe("Dear Jonas");
      await scanPlaces(house.eremos, null, "/");
      await takeIn(house.eremos, { path: bills, secret: null });
      expect(
        listFolders(house.eremos)
          .map(({ path: at, state }) => [path.basename(at), state])
          .sort(),
      ).toEqual([
        ["Bills", "locked"],
        ["Letters", "open"],
      ]);
      await open(bills);
      expect(fs.readFileSync(path.join(bills, "letter.txt"), "utf8")).toBe("Dear Jonas");
    },
  );

  it("two exchanged rows are two damaged cards, and neither leads to the other's folder", async () => {
    const [bills, letters] = [house.makeFolder("Bills"), house.makeFolder("Letters")];
    await seal(bills);
    await seal(letters);
    await edit((database) => {
      const rows = database.prepare("select id, sealed from folders").all() as { id: string; sealed: Buffer }[];
      rows.forEach(({ id }, i) =>
        database.prepare("update folders set sealed = ? where id = ?").run(rows[(i + 1) % 2]?.sealed, id),
      );
    });
    expect(listFolders(house.eremos).map(({ state }) => state)).toEqual(["damaged", "damaged"]);
  });

  it("of the log, the preferences and the documents leaves the sign-in, the list and every folder as they are", async () => {
    const bills = house.makeFolder("Bills");
    await seal(bills);
    await edit((database) => {
      database.prepare("update events set sealed = x'00'").run();
      database.prepare("insert or replace into preferences (id, json) values (1, '{not json')").run();
      database
        .prepare(
          "insert or replace into documents (name, sealed) values ('brought', x'00'), ('keyholders', x'00'), ('interruptions', x'00')",
        )
        .run();
    });
    expect(listFolders(house.eremos)).toMatchObject([{ state: "locked" }]);
    await open(bills);
  });
});

describe("what somebody else wrote into Eremos' data", () => {
  it("a letter sealed to the owner's public key adds nothing to the list", async () => {
    const bills = house.makeFolder("Bills");
    await seal(bills);
    const owner = house.eremos.requireOwner();
    const victim = house.makeFolder("bin");
    const record = {
      ...(JSON.parse(JSON.stringify(listFolders(house.eremos)[0])) as object),
      path: Buffer.from(victim).toString("base64"),
    };
    const letter = JSON.stringify(
      await sealTo(
        fromBase64(owner.sealing.publicKey, 32),
        "inbox",
        Buffer.from(
          JSON.stringify({ record, header: null, event: { at: 1, folder: "x", kind: "locked", signedIn: false } }),
        ),
      ),
    );
    for (const proof of ["", "0".repeat(43)])
      await edit(
        (database) => void database.prepare("insert into inbox (sealed, proof) values (?, ?)").run(letter, proof),
      );
    expect(listFolders(house.eremos).map(({ path: at }) => at)).toEqual([bills]);
  });

  it("a public key exchanged in its table encrypts nothing: a drop is refused, and says why", async () => {
    const bills = house.makeFolder("Bills");
    await seal(bills);
    const id = idOf(bills);
    const stranger = generateKeyPairSync("x25519").publicKey.export({ format: "jwk" }).x;
    signOut(house.eremos);
    house.eremos.close();
    const database = new Database(path.join(house.data, "eremos.db"));
    expect(database.prepare("update slots set public_key = ? where id = ?").run(stranger, id).changes).toBe(1);
    database.close();
    house.restart();
    const file = path.join(house.base, "note.txt");
    fs.writeFileSync(file, "for nobody but the owner");
    await expect((async () => drop(house.eremos, bills, [file], "/"))()).rejects.toMatchObject({
      code: "not-protected",
    });
    expect(fs.existsSync(path.join(bills, ".eremos", "drops"))).toBe(false);
  });

  it("a drop goes to the folder that was locked here, and to no copy that repeats its id", async () => {
    const bills = house.makeFolder("Bills");
    await seal(bills);
    const decoy = path.join(house.world, "A decoy");
    fs.cpSync(bills, decoy, { recursive: true });
    const moved = path.join(house.base, "moved away");
    const file = path.join(house.base, "note.txt");
    fs.writeFileSync(file, "for nobody but the owner");
    signOut(house.eremos);
    await expect((async () => drop(house.eremos, decoy, [file], "/"))()).rejects.toMatchObject({
      code: expect.stringMatching(/unvouched/),
    });
    fs.renameSync(path.join(bills, ".eremos"), moved);
    fs.cpSync(moved, path.join(bills, ".eremos"), { recursive: true });
    await expect((async () => drop(house.eremos, bills, [file], "/"))()).rejects.toMatchObject({
      code: expect.stringMatching(/unvouched/),
    });
    fs.rmSync(path.join(bills, ".eremos"), { recursive: true });
    fs.renameSync(moved, path.join(bills, ".eremos"));
    await drop(house.eremos, bills, [file], "/");
    expect(fs.readdirSync(path.join(bills, ".eremos", "drops")).length).toBeGreaterThan(0);
    expect(fs.existsSync(path.join(decoy, ".eremos", "drops"))).toBe(false);
  });
});

describe("one folder in trouble", () => {
  it("says so on its card; the start, the list and every other folder work", async () => {
    const [bills, letters] = [house.makeFolder("Bills"), house.makeFolder("Letters")];
    for (const folder of [bills, letters]) {
      await seal(folder);
      await open(folder);
    }
    for (const name of fs.readdirSync(path.join(bills, ".eremos")).filter((one) => one.startsWith("state")))
      fs.writeFileSync(path.join(bills, ".eremos", name), "garbage");
    house.restart();
    await recoverInterrupted(house.eremos);
    await house.signIn();
    const listed = listFolders(house.eremos);
    expect(listed.map(({ path: at, state }) => [path.basename(at), state]).sort()).toEqual([
      ["Bills", "damaged"],
      ["Letters", "open"],
    ]);
    expect(listed.find(({ path: at }) => at === bills)?.attention).toContain("damaged");
    await lock(house.eremos, { path: letters, protection: sealedAnd("view"), inUseAnyway: false, from: "/" }).then(
      ({ outcome }) => outcome,
    );
    expect(fs.readFileSync(path.join(bills, "letter.txt"), "utf8")).toBe("Dear Jonas");
  });
});

describe("each of Eremos' own files, damaged by itself", () => {
  const own = (...names: readonly string[]): string => path.join(house.data, ...names);
  /** With nothing of Eremos running. */
  function whileStopped(change: () => void): void {
    signOut(house.eremos);
    house.eremos.close();
    change();
    house.restart();
  }

  it("the device's key: from its copy; where neither is whole, a new one is made, and the old ones are set aside", async () => {
    const before = house.eremos.data.device.publicKey.toString("hex");
    whileStopped(() => fs.writeFileSync(own("device.json"), "spoilt"));
    expect(house.eremos.data.device.publicKey.toString("hex")).toBe(before);
    expect(fs.readFileSync(own("device.json"))).toEqual(fs.readFileSync(own("device.copy.json")));
    const folder = house.makeFolder("Bills");
    await house.signIn();
    await seal(folder);
    whileStopped(() => ["device.json", "device.copy.json"].forEach((name) => fs.writeFileSync(own(name), "spoilt")));
    expect(house.eremos.data.device.publicKey.toString("hex")).not.toBe(before);
    expect(fs.readdirSync(house.data).filter((name) => name.includes(".damaged-"))).toHaveLength(2);
    await house.signIn();
    await open(folder);
    expect(fs.readFileSync(path.join(folder, "letter.txt"), "utf8")).toBe("Dear Jonas");
  });

  it.each([
    ["overwritten", (file: string): void => fs.writeFileSync(file, Buffer.alloc(20_000, 7))],
    ["cut off", (file: string): void => fs.truncateSync(file, 9000)],
  ])(
    "the database, %s: it is set aside and told, a folder that lies open locks without a password, and all are found again",
    async (_how, spoil) => {
      const [bills, letters] = [house.makeFolder("Bills"), house.makeFolder("Letters")];
      for (const folder of [bills, letters]) await seal(folder);
      await open(letters);
      whileStopped(() => {
        for (const end of ["-wal", "-shm"]) fs.rmSync(own(`eremos.db${end}`), { force: true });
        spoil(own("eremos.db"));
      });
      expect(house.eremos.ownDataTrouble).toContain("was damaged, and is set aside as");
      await seal(letters);
      expect(fs.readdirSync(letters).sort()).toEqual([".eremos", "Locked with Eremos.html"]);
      await house.signIn();
      await scanPlaces(house.eremos, null, "/");
      for (const folder of [bills, letters])
        if (!idOf(folder)) await takeIn(house.eremos, { path: folder, secret: null });
      expect(
        listFolders(house.eremos)
          .map(({ name, state }) => [name, state])
          .sort(),
      ).toEqual([
        ["Bills", "locked"],
        ["Letters", "locked"],
      ]);
      await open(bills);
      tellNoMore(own("eremos.db"));
      expect(house.eremos.ownDataTrouble).toBeNull();
    },
  );

  it("a database that can't be opened stops no lock of a folder that lies open; signing in says why it can't, and what to do", async () => {
    const letters = house.makeFolder("Letters");
    await seal(letters);
    await open(letters);
    whileStopped(() => {
      fs.renameSync(own("eremos.db"), own("kept.db"));
      fs.mkdirSync(own("eremos.db"));
    });
    await seal(letters);
    expect(fs.readdirSync(letters).sort()).toEqual([".eremos", "Locked with Eremos.html"]);
    const owner = fs.readFileSync(own("owner.json"));
    await expect(
      resetPassword(house.eremos, {
        secret: { kind: "code", code: house.code },
        password: "half a cello and its bow",
        hint: null,
      }),
    ).rejects.toMatchObject({ code: "data-unwritable" });
    expect(fs.readFileSync(own("owner.json"))).toEqual(owner);
    await expect(house.signIn()).rejects.toMatchObject({
      code: "data-unwritable",
      message: expect.stringContaining("those that lie open can be locked") as string,
    });
    whileStopped(() => {
      fs.rmdirSync(own("eremos.db"));
      fs.renameSync(own("kept.db"), own("eremos.db"));
    });
    await house.signIn();
    await open(letters);
    expect(fs.readFileSync(path.join(letters, "letter.txt"), "utf8")).toBe("Dear Jonas");
  });

  it.runIf(CAN_MOUNT)(
    "a full disk under Eremos' own data stops no lock of a folder that lies open, which says what could not be written down",
    async () => {
      const letters = house.makeFolder("Letters");
      await seal(letters);
      await open(letters);
      const backing = new Backing(16);
      whileStopped(() => {
        fs.cpSync(house.data, backing.at, { recursive: true });
        fs.rmSync(house.data, { recursive: true });
        fs.symlinkSync(backing.at, house.data);
      });
      try {
        backing.leave(0);
        await expect(seal(letters)).rejects.toMatchObject({
          code: "io",
          message: expect.stringMatching(/done in the folder, but .* \(the disk is full\)/) as string,
        });
        expect(fs.readdirSync(letters).sort()).toEqual([".eremos", "Locked with Eremos.html"]);
      } finally {
        house.eremos.close();
        fs.rmSync(house.data);
        fs.cpSync(backing.at, house.data, { recursive: true });
        backing.remove();
        house.restart();
      }
      await house.signIn();
      await open(letters);
      expect(fs.readFileSync(path.join(letters, "letter.txt"), "utf8")).toBe("Dear Jonas");
    },
  );

  it("a fault of the program's own is noted by the server too, whichever thread it was in, without a path or a name", async () => {
    const job = house.eremos.run<"last-change">({ verb: "last-change", input: { path: 7 } as never });
    await expect(job).rejects.toMatchObject({ code: "internal" });
    const log = fs.readFileSync(own("faults.log"), "utf8");
    expect(JSON.parse(log.trim().split("\n").at(-1) ?? "")).toMatchObject({
      kind: expect.stringMatching(/^TypeError/) as string,
      frames: expect.arrayContaining([expect.stringContaining("engine-worker.code.cjs:") as string]) as unknown,
    });
    expect(log).not.toContain(house.base);
    expect(fs.statSync(own("faults.log")).mode & 0o777).toBe(0o600);
  });
});

it("the data directory is this account's alone at every start, whatever it was made as", () => {
  house.eremos.close();
  fs.chmodSync(house.data, 0o755);
  house.restart();
  expect(fs.statSync(house.data).mode & 0o777).toBe(0o700);
});
