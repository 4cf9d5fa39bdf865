import { once } from "node:events";
import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import type { FolderToLookAt } from "@eremos/core";
import type { CallName } from "../../src/calls";
import { type Call, answer } from "../../src/http/answers";
import { AsideLooker, OwnLooker } from "../../src/look/looker";
import { closeUp } from "../../src/operations/locking/close-up";
import { unlock } from "../../src/operations/locking/open-folder";
import { listFolders, listFoldersAside } from "../../src/operations/folders/list-folders";
import { listPlace } from "../../src/operations/folders/walk-places";
import { findDropped, findSlot } from "../../src/operations/folders/drop";
import { onlook } from "../../src/operations/folders/look";
import { lock } from "../../src/operations/locking/lock-folder";
import { TestHouse, sealedAnd } from "../house";

let house: TestHouse;
let looker: AsideLooker | null = null;
beforeEach(async () => {
  house = await TestHouse.make();
  await house.signIn();
});
afterEach(() => {
  looker?.close();
  looker = null;
  house.remove();
});

describe("a look by another process", () => {
  it("says of every folder what a look by this one says: hidden, tucked away, barred, open, moved away, damaged", async () => {
    const folders = ["Adoption papers", "Bills", "Cello", "Diary", "Estate", "Films"].map((name) =>
      house.makeFolder(name),
    );
    const [hidden = "", tucked = "", barred = "", open = "", moved = "", damaged = ""] = folders;
    const lockAs = async (folder: string, protection: Parameters<typeof lock>[1]["protection"]): Promise<void> => {
      await lock(house.eremos, { path: folder, protection, inUseAnyway: false, from: "/" }).then(
        ({ outcome }) => outcome,
      );
    };
    await lockAs(hidden, sealedAnd("hidden"));
    await lockAs(tucked, sealedAnd("tucked"));
    await lockAs(barred, { ...sealedAnd("view"), guard: "barred" });
    for (const folder of [open, moved, damaged]) await lockAs(folder, sealedAnd("view"));
    fs.renameSync(moved, `${moved} elsewhere`);
    for (const name of fs.readdirSync(path.join(damaged, ".eremos")).filter((one) => one.startsWith("state")))
      fs.writeFileSync(path.join(damaged, ".eremos", name), "spoilt");
    const own = listFolders(house.eremos);
    expect(own.map(({ state }) => state)).toEqual(["locked", "locked", "locked", "locked", "missing", "damaged"]);
    const place = await listPlace(house.eremos, house.world);
    const seen = await onlook(house.eremos, "Bills", house.world);
    expect(seen).toMatchObject({ place: house.world, kinds: [{ kind: "keyboard" }, {}, { kind: "disk" }] });
    house.eremos.lookAside();
    expect(await listFoldersAside(house.eremos)).toEqual(own);
    expect(await listPlace(house.eremos, house.world)).toEqual(place);
    expect(await onlook(house.eremos, "Bills", house.world)).toEqual(seen);
    await expect(listPlace(house.eremos, path.join(house.world, "nowhere"))).rejects.toMatchObject({
      code: "not-found",
    });
  });
});

describe("a walk by another process", () => {
  /** All that the four walks find and end with, by who looks now. */
  const walked = async (): Promise<object> => {
    const places = [Buffer.from(house.world)];
    const found: unknown[] = [];
    const collect = (one: { readonly path: Buffer }): void => void found.push({ ...one });
    const walk = { places, isStopped: () => false, onProgress: () => undefined };
    const { eremos } = house;
    const ends = [
      await eremos.looker.scan({ ...walk, onFound: collect }),
      await eremos.looker.hidden({ ...walk, onFound: collect, onScript: collect }),
    ];
    const dropped = { type: "dir" as const, name: "Trips", size: null, complete: true, entries: [] };
    const [record] = eremos.registry.list(eremos.requireKeys());
    const slot = await findSlot(eremos, record?.id ?? "");
    return { ends, found, dropped: await findDropped(eremos, dropped), slot: slot?.path.toString() };
  };

  it("finds what a walk by this one finds: protected folders, what is hidden by other means, a home-made lock, what was dropped on the page, a drop slot", async () => {
    const folder = house.makeFolder("Bills");
    await lock(house.eremos, { path: folder, protection: sealedAnd("view"), inUseAnyway: false, from: "/" }).then(
      ({ outcome }) => outcome,
    );
    fs.mkdirSync(path.join(house.world, "Trips"));
    fs.mkdirSync(path.join(house.world, ".old letters"));
    fs.writeFileSync(path.join(house.world, ".old letters", "jonas.docx"), "Dear Jonas");
    fs.mkdirSync(path.join(house.world, "Private"), { mode: 0o300 });
    fs.writeFileSync(
      path.join(house.world, "locker.bat"),
      'if NOT %pass%==letmein goto FAIL\nattrib -h -s "Private"\nattrib +h +s "Private"\n',
    );
    const own = await walked();
    expect(own).toMatchObject({ dropped: { complete: true, paths: [path.join(house.world, "Trips")] }, slot: folder });
    expect((own as { found: readonly { path: Buffer }[] }).found.map((one) => path.basename(String(one.path)))).toEqual(
      expect.arrayContaining(["Bills", ".old letters", "Private", "locker.bat"]),
    );
    house.restart();
    await house.signIn();
    house.eremos.lookAside();
    expect(await walked()).toEqual(own);
  });

  it("ends when it is asked to, with what it had found", async () => {
    for (let i = 0; i < 300; i++) fs.mkdirSync(path.join(house.world, `of many ${i}`));
    house.eremos.lookAside();
    let isStopped = false;
    const end = await house.eremos.looker.scan({
      places: [Buffer.from(house.world)],
      isStopped: () => isStopped,
      onProgress: () => void (isStopped = true),
      onFound: () => undefined,
    });
    expect(end).toMatchObject({ isStopped: true, unreadable: [] });
    expect(end.directories).toBeLessThan(300);
  });

  it("over a disk that gives no answer ends there: the search says so, nothing dropped is found, and the next walk begins", async () => {
    const aside = new AsideLooker(pretender(path.join(house.base, "never")), Buffer.alloc(32), () => undefined, 100);
    looker = aside;
    const walk = { isStopped: () => false, onProgress: () => undefined, onFound: () => undefined };
    const silent = { ...walk, places: [Buffer.from("/silent")] };
    expect(await aside.scan(silent)).toEqual({ directories: 1, unreadable: ["/silent"], isStopped: false });
    const asked = { places: ["/silent"], longestMs: 1000 };
    const dropped = { type: "file" as const, name: "silent", size: 1, complete: true, entries: [] };
    expect(await aside.dropped({ ...asked, dropped })).toEqual({ paths: [], complete: false });
    expect(await aside.slot({ ...asked, folder: "f", place: null })).toBeNull();
    expect(started()).toBe(3);
  });
});

const asFolder = (id: string): FolderToLookAt => ({
  id,
  path: Buffer.from(`/place/${id}`),
  isDrive: false,
  isEncrypting: true,
  files: 0,
  bytes: 0,
});
const request = (...ids: readonly string[]): { folders: FolderToLookAt[]; mounts: string[] } => ({
  folders: ids.map(asFolder),
  mounts: [],
});

/** In the looker's place: it looks at what is called "silent" until `answer` is there, as at a disk without an answer. */
function pretender(answer: string): string {
  const program = path.join(house.base, "looker.mjs");
  fs.writeFileSync(
    program,
    `import { appendFileSync, existsSync, writeFileSync } from "node:fs";
const tick = new Int32Array(new SharedArrayBuffer(4));
const say = (message) => new Promise((resolve) => process.send(message, undefined, undefined, resolve));
appendFileSync(${JSON.stringify(path.join(house.base, "started"))}, ".");
writeFileSync(${JSON.stringify(path.join(house.base, "pid"))}, String(process.pid));
process.on("disconnect", () => process.exit());
let before = Promise.resolve();
process.on("message", ({ kind, id, question }) => {
  if (kind === "ask") before = before.then(() => answer(id, question));
});
async function answer(id, question) {
  await say({ kind: "begun", id });
  const { asked, path = asked?.typed ?? String(asked?.places ?? question.places?.map((one) => Buffer.from(one)) ?? "") } = question;
  if (question.kind === "scan") await say({ kind: "progress", id, progress: { directories: 1, at: path } });
  if (path.includes("silent")) while (!existsSync(${JSON.stringify(answer)})) Atomics.wait(tick, 0, 0, 10);
  for (const folder of question.request?.folders ?? []) {
    await say({ kind: "at", id, folder: folder.id });
    if (folder.id === "silent") while (!existsSync(${JSON.stringify(answer)})) Atomics.wait(tick, 0, 0, 10);
    await say({ kind: "looked", id, looked: { id: folder.id, path: folder.path, located: null, failure: null, isAway: false, forks: [], isInsured: false, isCramped: false, ownDirPlace: null } });
  }
  await say({ kind: "done", id });
}
`,
  );
  return program;
}

/** The looker itself, on a disk that takes a tenth of a second to tell of an entry. */
function slowly(): string {
  const program = path.join(house.base, "slowly.cjs");
  const real = path.join(house.eremos.settings.program, "server", "dist", "looker-main.cjs");
  fs.writeFileSync(
    program,
    `const fs = require("node:fs");
const { lstatSync } = fs;
const tick = new Int32Array(new SharedArrayBuffer(4));
fs.lstatSync = (...asked) => {
  Atomics.wait(tick, 0, 0, 100);
  return lstatSync(...asked);
};
require(${JSON.stringify(real)});
`,
  );
  return program;
}

const PATIENCE_MS = 1000;
const NO_ANSWER = { isAway: true, failure: { code: "no-answer" } };
const started = (): number => fs.readFileSync(path.join(house.base, "started"), "utf8").length;

describe("a disk that does not answer", () => {
  it("keeps nobody waiting for the other folders, is waited for aside, and is told again when it answers", async () => {
    const answer = path.join(house.base, "answer");
    const hears = new EventTarget();
    const aside = new AsideLooker(
      pretender(answer),
      Buffer.alloc(32),
      () => hears.dispatchEvent(new Event("answered")),
      PATIENCE_MS,
    );
    looker = aside;
    const asked = request("first", "silent", "last");
    for (const again of [1, 2]) {
      const looked = await aside.folders(asked);
      expect(looked.map(({ id }) => id)).toEqual(["first", "silent", "last"]);
      expect(looked[1]).toMatchObject(NO_ANSWER);
      for (const one of [looked[0], looked[2]]) expect(one).toMatchObject({ failure: null });
      // One waits, another goes on; the second time nobody has to wait.
      expect(started(), `time ${again}`).toBe(2);
    }
    const heard = once(hears, "answered");
    fs.writeFileSync(answer, "");
    await heard;
    expect((await aside.folders(asked)).map(({ failure }) => failure)).toEqual([null, null, null]);
  });

  it("is told of by two that ask at once, and neither takes another folder for it", async () => {
    const aside = new AsideLooker(
      pretender(path.join(house.base, "never")),
      Buffer.alloc(32),
      () => undefined,
      PATIENCE_MS,
    );
    looker = aside;
    const [one, other] = await Promise.all([
      aside.folders(request("first", "silent", "last")),
      aside.folders(request("first", "silent", "last")),
    ]);
    for (const looked of [one, other])
      expect(looked.map(({ failure }) => failure?.code ?? null)).toEqual([null, "no-answer", null]);
  });

  it("under a place is an error that says so, and the next place is looked at by another process", async () => {
    const answer = path.join(house.base, "answer");
    const aside = new AsideLooker(pretender(answer), Buffer.alloc(32), () => undefined, PATIENCE_MS);
    looker = aside;
    const silent = { typed: "/silent", home: "/", places: ["/"], listed: [] };
    await expect(aside.place(silent)).rejects.toMatchObject({ code: "no-answer" });
    await expect(aside.onlook({ path: "/silent", subject: null, places: ["/"] })).rejects.toMatchObject({
      code: "no-answer",
    });
    expect(started()).toBe(2);
  });

  it("is not one that answers slowly: what others see there comes, however many looks it takes", async () => {
    for (let i = 0; i < 40; i++) fs.writeFileSync(path.join(house.world, `of many ${i}`), "");
    looker = new AsideLooker(slowly(), Buffer.alloc(32, 1), () => undefined, 3 * PATIENCE_MS);
    const asked = { path: house.world, subject: null, places: [house.world] };
    expect(await looker.onlook(asked)).toEqual(await new OwnLooker(house.eremos.disk).onlook(asked));
  });

  it("under what a call names ends the call before its operation begins, and keeps no call behind it waiting", async () => {
    const folder = house.makeFolder("silent");
    await lock(house.eremos, { path: folder, protection: sealedAnd("view"), inUseAnyway: false, from: "/" }).then(
      ({ outcome }) => outcome,
    );
    const [record] = listFolders(house.eremos);
    looker = new AsideLooker(pretender(path.join(house.base, "never")), Buffer.alloc(32), () => undefined, PATIENCE_MS);
    house.eremos.looker = looker;
    const call = { context: { eremos: house.eremos }, signedIn: true } as Call;
    const calls: readonly [CallName, object][] = [
      ["plan", { path: folder, guard: "sealed", visibility: "view" }],
      ["reach", { folder: record?.id }],
      ["scan/start", { places: [folder] }],
      ["unlock", { folder }],
    ];
    for (const [name, body] of calls)
      await expect(
        answer(name, call, () => Promise.resolve(body)),
        name,
      ).rejects.toMatchObject({ code: "no-answer" });
    const [one, other] = await Promise.allSettled([
      looker.answers([folder]),
      looker.answers([path.join(house.world, "other")]),
    ]);
    expect(one).toMatchObject({ status: "rejected", reason: { code: "no-answer" } });
    expect(other).toMatchObject({ status: "fulfilled" });
  });

  it("is looked at by nobody else: what closes up locks the others, and says of it that it has no answer", async () => {
    const folders = ["Bills", "Cello"].map((name) => house.makeFolder(name));
    for (const folder of folders) {
      await lock(house.eremos, { path: folder, protection: sealedAnd("view"), inUseAnyway: false, from: "/" }).then(
        ({ outcome }) => outcome,
      );
      await (
        await unlock(house.eremos, { pathOrId: folder, from: "/", accept: [], mode: { kind: "usual" } })
      ).outcome;
    }
    const [silent = "", answering] = listFolders(house.eremos).map(({ id }) => id);
    house.eremos.looker = {
      isSilent: (id) => id === silent,
      folders: () => Promise.resolve([]),
      place: () => Promise.reject(new Error()),
      onlook: () => Promise.reject(new Error()),
      dropped: () => Promise.resolve({ paths: [], complete: false }),
      slot: () => Promise.resolve(null),
      scan: () => Promise.reject(new Error()),
      hidden: () => Promise.reject(new Error()),
      answers: () => Promise.resolve(),
      close: () => undefined,
    };
    const { locking, left } = await closeUp(house.eremos, false);
    await Promise.all(locking.map(({ job }) => job.outcome));
    expect(left).toEqual([{ path: folders[0], error: expect.objectContaining({ code: "no-answer" }) as Error }]);
    expect(locking.map(({ path: at }) => at)).toEqual([folders[1]]);
    house.eremos.looker = new OwnLooker(house.eremos.disk);
    expect(listFolders(house.eremos).map(({ id, state }) => [id, state])).toEqual([
      [silent, "open"],
      [answering, "locked"],
    ]);
  });

  it("is not what one is told of that was ended while nobody asked it anything: another looks in its place", async () => {
    const aside = new AsideLooker(pretender(path.join(house.base, "never")), Buffer.alloc(32), () => undefined, 10_000);
    looker = aside;
    const looks = async (): Promise<unknown> => (await aside.folders(request("first"))).map(({ failure }) => failure);
    expect(await looks()).toEqual([null]);
    const pid = Number(fs.readFileSync(path.join(house.base, "pid"), "utf8"));
    process.kill(pid, "SIGKILL");
    await expect.poll(() => fs.existsSync(`/proc/${pid}`)).toBe(false);
    expect(await looks()).toEqual([null]);
    expect(started()).toBe(2);
  });

  it("is waited for by nobody once the session is over, and nobody else is started", async () => {
    const aside = new AsideLooker(pretender(path.join(house.base, "never")), Buffer.alloc(32), () => undefined, 60_000);
    const looking = aside.folders(request("silent", "last"));
    await expect.poll(() => fs.existsSync(path.join(house.base, "started"))).toBe(true);
    aside.close();
    for (const looked of await looking) expect(looked).toMatchObject(NO_ANSWER);
    expect(started()).toBe(1);
  });

  it("is told of every folder where nobody can be started to look, and is not tried for each", async () => {
    const program = path.join(house.base, "broken.mjs");
    fs.writeFileSync(
      program,
      `import { appendFileSync } from "node:fs";
appendFileSync(${JSON.stringify(path.join(house.base, "started"))}, ".");
process.exit(1);
`,
    );
    const aside = new AsideLooker(program, Buffer.alloc(32), () => undefined, 10_000);
    looker = aside;
    for (const looked of await aside.folders(request("first", "second", "third")))
      expect(looked).toMatchObject(NO_ANSWER);
    expect(started()).toBe(1);
  });
});
