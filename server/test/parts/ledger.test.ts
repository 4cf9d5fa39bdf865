import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { randomBytes } from "@eremos/core";
import { events, folders } from "../../src/database/schema";
import { NO_RULES, noteOf } from "../../src/ledger/ledger";
import type { FolderRecord } from "../../src/ledger/registry";
import { encodePath, nameFolder } from "../../src/paths";
import { protectionOf } from "../../src/protection";
import { listFolders } from "../../src/operations/folders/list-folders";
import { signOut } from "../../src/operations/entrance/sign-in";
import { TestHouse, sealedAnd, toldOf } from "../house";

const ID = "a".repeat(32);
let house: TestHouse;
beforeEach(async () => {
  house = await TestHouse.make();
  await house.signIn();
});
afterEach(() => house.remove());

const note = () => ({
  ...NO_RULES,
  ...sealedAnd("view"),
  id: ID,
  path: encodePath(Buffer.from("/home/mara/Payroll")),
  kind: "folder" as const,
  publicKey: null,
  opened: null,
  protectedAt: 1,
});
const sealed = () => ({
  generation: 1,
  digest: "d",
  files: 3,
  bytes: 4,
  publicKey: "key",
  header: randomBytes(40),
  outsideLinks: [],
  strategy: "whole" as const,
  earlier: "gone" as const,
  notOverwritten: 0,
});
const listed = (): FolderRecord[] => house.eremos.registry.list(house.eremos.requireKeys());
const noted = (): string[] => house.eremos.data.notes().map(({ id }) => id);
const count = (table: typeof events | typeof folders): number =>
  house.eremos.database.orm.select().from(table).all().length;

/** From now on the database takes no event any more, as on a full disk: whatever goes with one must not be there. */
function refuseEvents(): void {
  house.eremos.database.orm.run("CREATE TRIGGER full BEFORE INSERT ON events BEGIN SELECT RAISE(ABORT, 'full'); END");
}

describe("what Eremos' own data says of a folder", () => {
  it("goes from begun to locked, open and released, in list, log and note", async () => {
    const { ledger, registry, data } = house.eremos;
    ledger.begun(note(), false);
    expect([noted(), listed().map(({ lockedAt }) => lockedAt)]).toEqual([[ID], [null]]);
    await ledger.locked(note(), { sealed: sealed() }, "place");
    expect([noted(), listed()[0]?.files, registry.slot(ID)]).toEqual([[], 3, { publicKey: "key", place: "place" }]);
    const [record = expect.fail("it is not listed")] = listed();
    ledger.opening(noteOf(record, protectionOf(record)));
    expect(data.note(ID)).toMatchObject({ opened: null, publicKey: "key" });
    const openedAt = Date.now();
    await ledger.opened(record, { ...noteOf(record, protectionOf(record)), openedAt }, null);
    expect([listed()[0]?.openedAt, data.note(ID)?.openedAt]).toEqual([openedAt, openedAt]);
    await ledger.released(ID);
    expect([listed(), noted(), registry.slot(ID), registry.header(ID)]).toEqual([[], [], null, null]);
    // Its name stays readable when it is not in the list any more.
    const { name: its } = nameFolder(record);
    expect(toldOf(house.eremos).map(({ kind, name }) => [kind, name])).toEqual([
      ["released", its],
      ["opened", its],
      ["locked", its],
    ]);
  });

  it("changes as a whole or not at all: of a lock, a release and a folder taken in, nothing is written that the log lacks, and the note stays", async () => {
    const { ledger, registry } = house.eremos;
    ledger.begun(note(), false);
    await ledger.locked(note(), { sealed: sealed() }, "place");
    const [record = expect.fail("it is not listed")] = listed();
    ledger.opening(noteOf(record, protectionOf(record)));
    const [header, slot] = [registry.header(ID), registry.slot(ID)];
    refuseEvents();
    await expect(
      ledger.locked(note(), { sealed: { ...sealed(), files: 9, publicKey: "other" } }, "else"),
    ).rejects.toThrow();
    await expect(ledger.released(ID)).rejects.toThrow();
    await expect(
      ledger.takenIn(
        house.eremos.requireKeys(),
        { ...record, files: 8, publicKey: "other" },
        randomBytes(9),
        "x",
        null,
      ),
    ).rejects.toThrow();
    expect(listed()).toEqual([record]);
    expect([registry.header(ID), registry.slot(ID), noted()]).toEqual([header, slot, [ID]]);
    expect(toldOf(house.eremos)).toHaveLength(1);
  });

  it("keeps how a folder is locked from its next lock on, though nothing of it was encrypted before", async () => {
    const { ledger } = house.eremos;
    const keys = house.eremos.requireKeys();
    ledger.begun({ ...note(), guard: "barred", bars: { others: "nothing", own: "everything" } }, false);
    const [record = expect.fail("it is not listed")] = listed();
    await ledger.protectedAs(keys, record, sealedAnd("tucked"));
    expect(listed()).toMatchObject([{ guard: "sealed", visibility: "tucked", bars: null, generation: 0 }]);
    expect(toldOf(house.eremos)).toMatchObject([{ kind: "protection", name: "Payroll" }]);
  });

  it("tells a folder that was taken in by its name, though it was in no list before", async () => {
    const { ledger, registry } = house.eremos;
    const keys = house.eremos.requireKeys();
    ledger.begun(note(), false);
    const [record = expect.fail("it is not listed")] = listed();
    registry.remove(ID);
    await ledger.takenIn(keys, record, randomBytes(9), "place", null);
    expect(toldOf(house.eremos)[0]).toMatchObject({ kind: "taken-in", folder: ID, name: "Payroll" });
  });

  it("keeps nobody out where the copy of a folder's header in it is damaged", async () => {
    const { ledger } = house.eremos;
    ledger.begun(note(), false);
    await ledger.locked(note(), { sealed: sealed() }, "place");
    signOut(house.eremos);
    await house.signIn();
    expect(listFolders(house.eremos)).toMatchObject([{ id: ID, hasPassword: false }]);
  });

  it("is taken in once from what was written down while nobody was signed in, though that was cut off before", async () => {
    const { ledger, database } = house.eremos;
    signOut(house.eremos);
    ledger.begun(note(), false);
    await ledger.locked(note(), { sealed: sealed() }, "place");
    expect(count(folders)).toBe(0);
    database.orm.run("CREATE TRIGGER stays BEFORE DELETE ON inbox BEGIN SELECT RAISE(ABORT, 'cut off'); END");
    await expect(house.signIn()).rejects.toThrow();
    const before = count(events);
    expect(count(folders)).toBe(0);
    database.orm.run("DROP TRIGGER stays");
    await house.signIn();
    expect([listed().map(({ files }) => files), toldOf(house.eremos).length]).toEqual([[3], 1]);
    // The lock, and that somebody signed in.
    expect(count(events)).toBe(before + 2);
  });
});
