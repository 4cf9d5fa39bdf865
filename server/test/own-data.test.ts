import { generateKeyPairSync } from "node:crypto";
import * as fs from "node:fs";
import * as path from "node:path";
import Database from "better-sqlite3";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { fromBase64, sealTo } from "@eremos/core";
import { drop } from "../src/operations/drop";
import { scanPlaces, takeIn } from "../src/operations/find-folders";
import { listFolders } from "../src/operations/list-folders";
import { lock } from "../src/operations/lock-folder";
import { unlock } from "../src/operations/open-folder";
import { recoverInterrupted } from "../src/operations/recover-interrupted";
import { signOut } from "../src/operations/sign-in";
import { TestHouse, sealedAnd } from "./house";

/** Eremos' own data may have been restored, kept in step, or edited by somebody; and one folder may be in trouble. */
let house: TestHouse;
beforeEach(async () => {
  house = await TestHouse.make();
  await house.signIn();
});
afterEach(() => house.remove());

const seal = (folder: string): Promise<unknown> =>
  lock(house.eremos, { path: folder, protection: sealedAnd("view"), inUseAnyway: false, from: "/" }).outcome;
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
    await lock(house.eremos, { path: letters, protection: sealedAnd("view"), inUseAnyway: false, from: "/" }).outcome;
    expect(fs.readFileSync(path.join(bills, "letter.txt"), "utf8")).toBe("Dear Jonas");
  });
});
