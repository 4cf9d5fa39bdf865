import { execFile, spawn } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { promisify } from "node:util";
import { afterEach, beforeEach, expect, it, vi } from "vitest";
import type { VisitCall, VisitReply, VisitView } from "../src/contract";
import { activityOf } from "../src/operations/activity/history";
import { closeUp } from "../src/operations/locking/close-up";
import { drop } from "../src/operations/folders/drop";
import { setFolderPassword } from "../src/operations/locking/folder-password";
import { putBack, sinceLastLock } from "../src/operations/locking/last-lock";
import { listFolders } from "../src/operations/folders/list-folders";
import { lock } from "../src/operations/locking/lock-folder";
import { release, unlock } from "../src/operations/locking/open-folder";
import { setPreferences } from "../src/operations/folders/preferences";
import { signOut } from "../src/operations/entrance/sign-in";
import { startVisit } from "../src/operations/folders/visit";
import { TestHouse, sealedAnd, toldOf } from "./house";

let house: TestHouse;
let folder: string;
beforeEach(async () => {
  house = await TestHouse.make();
  folder = house.makeFolder("Payroll", { "letter.txt": "Dear Jonas", "Größe.txt": "7" });
  fs.mkdirSync(path.join(folder, "2026"));
  fs.writeFileSync(path.join(folder, "2026", "march.csv"), "Mara,7");
  await house.signIn();
  await lock(house.eremos, { path: folder, protection: sealedAnd("hidden"), inUseAnyway: false, from: "/" }).then(
    ({ outcome }) => outcome,
  );
});
afterEach(async () => {
  await house.eremos.visits.endAll();
  house.remove();
});

const visit = (minutes: number | null = null): Promise<VisitView> =>
  startVisit(house.eremos, { pathOrId: folder, from: "/", minutes, accept: [], secret: null });
const only = (): ReturnType<typeof listFolders>[number] | undefined => listFolders(house.eremos)[0];
const call = (asked: VisitCall): ReturnType<typeof house.eremos.visits.call> =>
  house.eremos.visits.call(only()?.id ?? "", asked);
const names = async (href = "/"): Promise<string[]> =>
  (await call({ kind: "list", href })).entries.map(({ name }) => name).sort();
const put = (view: VisitView, href: string, body: string): Promise<Response> =>
  fetch(new URL(href, view.url), {
    method: "PUT",
    body,
    headers: { authorization: `Basic ${Buffer.from(`${view.user}:${view.password}`).toString("base64")}` },
  });
const isListening = (view: VisitView): Promise<boolean> =>
  fetch(view.url).then(
    () => true,
    () => false,
  );

it("the page lists, searches, makes, renames, deletes and undoes; the list of folders follows, and the folder stays locked", async () => {
  const view = await visit();
  expect(only()).toMatchObject({ state: "locked", visit: { folder: only()?.id, undoable: 0 } });
  expect(await names()).toEqual(["2026", "Größe.txt", "letter.txt"]);
  expect((await call({ kind: "search", href: "/", name: "MARCH" })).entries).toMatchObject([
    { name: "march.csv", href: "/2026/march.csv", kind: "file", size: 6 },
  ]);
  await call({ kind: "make-directory", href: "/2027" });
  await call({ kind: "move", moves: [{ href: "/Gr%C3%B6%C3%9Fe.txt", to: "/2027/size.txt" }] });
  await call({ kind: "remove", hrefs: ["/2026", "/letter.txt"] });
  expect(await names()).toEqual(["2027"]);
  expect(await names("/2027")).toEqual(["size.txt"]);
  expect(only()).toMatchObject({ files: 1, visit: { undoable: 3 } });
  await call({ kind: "undo" });
  expect(await names()).toEqual(["2026", "2027", "letter.txt"]);
  for (const [asked, code] of [
    [{ kind: "list", href: "/letter.txt" }, "not-found"],
    [{ kind: "list", href: "/../.." }, "usage"],
    [{ kind: "make-directory", href: "/2026" }, "path-taken"],
    [{ kind: "move", moves: [{ href: "/2026", to: "/2026/in itself" }] }, "usage"],
    [{ kind: "remove", hrefs: ["/gone"] }, "not-found"],
  ] as const)
    await expect(call(asked)).rejects.toMatchObject({ code });
  expect((await put(view, "/2027/new.txt", "new")).status).toBe(201);
  expect(fs.readdirSync(house.world)).toEqual([expect.stringMatching(/^\.[0-9a-f]+$/)]);
  await house.eremos.visits.end(view.folder);
  expect(only()).toMatchObject({ state: "locked", visit: null, files: 4 });
  await (
    await release(house.eremos, { pathOrId: folder, from: "/", accept: [] })
  ).outcome;
  expect(fs.readdirSync(folder, { recursive: true }).sort()).toEqual([
    "2026",
    "2026/march.csv",
    "2027",
    "2027/new.txt",
    "2027/size.txt",
    "letter.txt",
  ]);
  expect(toldOf(house.eremos).map(({ kind }) => kind)).toEqual([
    "released",
    "visit-ended",
    "changed",
    "visited",
    "locked",
  ]);
});

it("several are moved, or deleted, in one change: all or none of them, and one undo brings all back", async () => {
  await visit();
  await call({ kind: "make-directory", href: "/2027" });
  const before = only()?.visit?.undoable ?? 0;
  const all = await names();
  const move = (...pairs: [string, string][]): Promise<VisitReply> =>
    call({ kind: "move", moves: pairs.map(([href, to]) => ({ href, to })) });
  for (const [pairs, code] of [
    [
      [
        ["/letter.txt", "/2027/letter.txt"],
        ["/gone", "/2027/gone"],
      ],
      "not-found",
    ],
    [
      [
        ["/letter.txt", "/2027/same"],
        ["/2026", "/2027/same"],
      ],
      "path-taken",
    ],
    [
      [
        ["/2026", "/2027/2026"],
        ["/2027", "/2026/2027"],
      ],
      "usage",
    ],
  ] satisfies [[string, string][], string][])
    await expect(move(...pairs)).rejects.toMatchObject({ code });
  expect([await names(), await names("/2027")]).toEqual([all, []]);

  // What lies in one of them goes along with it.
  await move(["/letter.txt", "/2027/letter.txt"], ["/2026", "/2027/2026"], ["/2026/march.csv", "/2027/march.csv"]);
  expect([await names("/2027"), await names("/2027/2026")]).toEqual([["2026", "letter.txt"], ["march.csv"]]);
  expect(only()?.visit?.undoable).toBe(before + 1);
  await call({ kind: "undo" });
  expect([await names(), await names("/2026")]).toEqual([all, ["march.csv"]]);

  await call({ kind: "remove", hrefs: ["/2026/march.csv", "/2026", "/letter.txt"] });
  expect(only()).toMatchObject({ files: 1, visit: { undoable: before + 1 } });
  await call({ kind: "undo" });
  expect([await names(), only()?.files]).toEqual([all, 3]);
});

it("an earlier state is kept, shown and put back; how many, the owner chooses", async () => {
  await visit();
  await call({ kind: "remove", hrefs: ["/2026"] });
  await house.eremos.visits.end(only()?.id ?? "");
  await (
    await unlock(house.eremos, { pathOrId: folder, from: "/", accept: [], mode: { kind: "until-locked" } })
  ).outcome;
  fs.writeFileSync(path.join(folder, "letter.txt"), "Dear Mara");
  await lock(house.eremos, { path: folder, protection: sealedAnd("hidden"), inUseAnyway: false, from: "/" }).then(
    ({ outcome }) => outcome,
  );
  await visit();
  const { earlier = [] } = await call({ kind: "earlier" });
  expect(earlier).toMatchObject([{ files: 2 }]);
  const { entries } = await call({ kind: "changes-since", generation: earlier[0]?.generation ?? 0 });
  expect(entries.map(({ change, name }) => `${change} ${name}`)).toEqual(["changed letter.txt"]);
  await call({ kind: "put-back", generation: earlier[0]?.generation ?? 0, hrefs: null });
  await house.eremos.visits.end(only()?.id ?? "");
  await setPreferences(house.eremos, { keepEarlier: 0 });
  const view = await visit();
  expect((await put(view, "/another.txt", "one")).status).toBe(201);
  await house.eremos.visits.end(view.folder);
  await visit();
  expect((await call({ kind: "earlier" })).earlier).toEqual([]);
  await house.eremos.visits.end(view.folder);
  await (
    await release(house.eremos, { pathOrId: folder, from: "/", accept: [] })
  ).outcome;
  expect(fs.readFileSync(path.join(folder, "letter.txt"), "utf8")).toBe("Dear Jonas");
});

it("what changed in the open folder since its last lock is shown, and put back entry by entry or whole; what was there instead is kept", async () => {
  const { eremos } = house;
  const open = async (): Promise<void> =>
    void (await (
      await unlock(eremos, { pathOrId: folder, from: "/", accept: [], mode: { kind: "while", minutes: 90 } })
    ).outcome);
  const back = async (hrefs: readonly string[] | null): Promise<void> => {
    const { generation } = await sinceLastLock(eremos, folder, null);
    await putBack(eremos, { folder, generation, hrefs, secret: null });
    await vi.waitFor(
      () =>
        expect(eremos.jobs.list().slice(0, 3)).toMatchObject([
          { verb: "put-back", state: "done" },
          { verb: "put-back", state: "done" },
          { verb: "put-back", state: "done" },
        ]),
      { timeout: 20_000 },
    );
  };
  const changes = async (): Promise<string[]> =>
    (await sinceLastLock(eremos, folder, null)).entries.map(({ change, name }) => `${change} ${name}`);
  await expect(sinceLastLock(eremos, folder, null)).rejects.toMatchObject({ code: "not-open" });
  await open();
  expect(await changes()).toEqual([]);
  fs.writeFileSync(path.join(folder, "letter.txt"), "Dear Mara");
  fs.rmSync(path.join(folder, "2026"), { recursive: true });
  fs.writeFileSync(path.join(folder, "new #1.txt"), "new");
  expect(await changes()).toEqual(["changed letter.txt", "added new #1.txt", "removed 2026"]);
  const was = house.eremos.data.note(only()?.id ?? "");
  await back(["/2026", "/new%20%231.txt"]);
  expect(only()).toMatchObject({ state: "open" });
  expect(house.eremos.data.note(only()?.id ?? "")?.rules).toEqual(was?.rules);
  expect(
    fs
      .readdirSync(folder, { recursive: true })
      .filter((name) => !name.includes(".eremos"))
      .sort(),
  ).toEqual(["2026", "2026/march.csv", "Größe.txt", "letter.txt"]);
  expect(fs.readFileSync(path.join(folder, "letter.txt"), "utf8")).toBe("Dear Mara");
  fs.writeFileSync(path.join(folder, "letter.txt"), "Dear nobody");
  await back(null);
  expect(fs.readFileSync(path.join(folder, "letter.txt"), "utf8")).toBe("Dear Mara");
  await lock(eremos, { path: folder, protection: sealedAnd("hidden"), inUseAnyway: false, from: "/" }).then(
    ({ outcome }) => outcome,
  );
  await visit();
  const { earlier = [] } = await call({ kind: "earlier" });
  await call({ kind: "put-back", generation: earlier[0]?.generation ?? 0, hrefs: ["/letter.txt"] });
  await eremos.visits.end(only()?.id ?? "");
  await open();
  expect(fs.readFileSync(path.join(folder, "letter.txt"), "utf8")).toBe("Dear nobody");
  expect(toldOf(eremos).map(({ kind }) => kind)).toContain("put-back");
});

it("putting back opens it again, as it was, where there is no such state", async () => {
  const { eremos } = house;
  await (
    await unlock(eremos, { pathOrId: folder, from: "/", accept: [], mode: { kind: "until-locked" } })
  ).outcome;
  fs.writeFileSync(path.join(folder, "letter.txt"), "Dear Mara");
  await putBack(eremos, { folder, generation: 4711, hrefs: null, secret: null });
  await vi.waitFor(
    () =>
      expect(eremos.jobs.list()[0]).toMatchObject({
        verb: "put-back",
        state: "done",
        summary: expect.stringContaining("Putting back did not work"),
      }),
    { timeout: 20_000 },
  );
  expect(only()).toMatchObject({ state: "open" });
  expect(fs.readFileSync(path.join(folder, "letter.txt"), "utf8")).toBe("Dear Mara");
  await expect(putBack(eremos, { folder, generation: 1, hrefs: ["/../.."], secret: null })).rejects.toMatchObject({
    code: "usage",
  });
});

const WAIT = { timeout: 40_000, interval: 100 };

/** A desktop's session bus, on which what mounts drives is started. */
async function withBus(act: () => Promise<void>): Promise<void> {
  const bus = spawn("dbus-daemon", ["--session", "--nofork", "--print-address"], {
    stdio: ["ignore", "pipe", "ignore"],
    env: { ...process.env, XDG_RUNTIME_DIR: house.world },
  });
  const address = await new Promise<string>((resolve) =>
    bus.stdout.once("data", (text) => resolve(String(text).trim())),
  );
  vi.stubEnv("DBUS_SESSION_BUS_ADDRESS", address);
  vi.stubEnv("XDG_RUNTIME_DIR", house.world);
  try {
    await act();
  } finally {
    vi.unstubAllEnvs();
    bus.kill();
  }
}

it("the desktop mounts the drive by itself, other programs read and write there, and the end of the visit takes it away", async () => {
  const gio = async (...args: string[]): Promise<string> => (await promisify(execFile)("gio", args)).stdout;
  await withBus(async () => {
    expect((await visit()).mount).toBe("can");
    await house.eremos.visits.mount(only()?.id ?? "");
    const view = only()?.visit;
    expect(view).toMatchObject({ mount: "mounted" });
    expect(await gio("cat", `${view?.address}letter.txt`)).toBe("Dear Jonas");
    fs.writeFileSync(path.join(house.world, "from outside.txt"), "put in by a desktop");
    await gio("copy", path.join(house.world, "from outside.txt"), `${view?.address}2026/`);
    expect(await names("/2026")).toEqual(["from outside.txt", "march.csv"]);
    expect(await gio("mount", "-l")).toContain(view?.user);
    await house.eremos.visits.end(only()?.id ?? "");
    await vi.waitFor(async () => expect(await gio("mount", "-l")).not.toContain(view?.user), { timeout: 10_000 });
  });
});

it("a file opens in the desktop's program off the drive; what it saves is in, and the visit ends when it is closed, where that is wished", async () => {
  const bin = path.join(house.base, "programs");
  fs.mkdirSync(path.join(bin, "applications"), { recursive: true });
  const [told, done] = [path.join(bin, "told"), path.join(bin, "done")];
  fs.writeFileSync(
    path.join(bin, "writer"),
    `#!/bin/sh\nprintf '%s' "$1" > '${told}'\nwhile [ -d '${bin}' ] && [ ! -e '${done}' ]; do sleep 0.2; done\nprintf 'Dear Mara' | gio save "$1"\n`,
    { mode: 0o755 },
  );
  fs.writeFileSync(
    path.join(bin, "applications", "writer.desktop"),
    `[Desktop Entry]\nType=Application\nName=Writer\nMimeType=text/plain;\nExec=${path.join(bin, "writer")} %u\n`,
  );
  fs.writeFileSync(path.join(bin, "mimeapps.list"), "[Default Applications]\ntext/plain=writer.desktop\n");
  vi.stubEnv("XDG_DATA_HOME", bin);
  vi.stubEnv("XDG_CONFIG_HOME", bin);
  await withBus(async () => {
    const view = await visit();
    const id = only()?.id ?? "";
    await expect(house.eremos.visits.open(id, "/../letter.txt")).rejects.toMatchObject({ code: "usage" });
    await expect(house.eremos.visits.open(id, "/2026/march.csv?")).rejects.toMatchObject({ code: "usage" });
    await house.eremos.visits.open(id, "/letter.txt");
    await vi.waitFor(() => expect(fs.readFileSync(told, "utf8")).toMatch(/letter\.txt$/), WAIT);
    // By the drive's address, or below where the desktop mounts it.
    expect(fs.readFileSync(told, "utf8")).toContain(view.user);
    house.eremos.visits.setEndsWithPrograms(id, true);
    expect(only()?.visit).toMatchObject({
      mount: "mounted",
      opened: [{ name: "letter.txt", program: "starting" }],
      endsWithPrograms: true,
    });
    await vi.waitFor(() => expect(only()?.visit?.opened[0]?.program).toBe("running"), WAIT);
    fs.writeFileSync(done, "");
    await vi.waitFor(() => expect(only()?.visit).toBeNull(), WAIT);
  });
  const events = await activityOf(house.eremos, {
    filter: { folder: null, groups: [], who: null, from: null, until: null, find: "" },
    skip: 0,
    limit: 100,
  });
  expect(events.events.find(({ kind }) => kind === "visit-ended")).toMatchObject({ from: "itself", why: "let-go" });
  const again = await visit();
  const read = await fetch(new URL("/letter.txt", again.url), {
    headers: { authorization: `Basic ${Buffer.from(`${again.user}:${again.password}`).toString("base64")}` },
  });
  expect(await read.text()).toBe("Dear Mara");
  // Under the same name, so that what programs remember by it is known; with another password.
  expect(again.user).toMatch(/^visit-[0-9a-f]{16}$/);
});

it("files that were put in are listed, taken in beside what is there, or discarded; what can't be read only discarded", async () => {
  await (
    await unlock(house.eremos, { pathOrId: folder, from: "/", accept: [], mode: { kind: "until-locked" } })
  ).outcome;
  await lock(house.eremos, { path: folder, protection: sealedAnd("view"), inUseAnyway: false, from: "/" }).then(
    ({ outcome }) => outcome,
  );
  for (const name of ["letter.txt", "bill.pdf", "spoilt.bin"])
    fs.writeFileSync(path.join(house.world, name), `put in: ${name}`);
  expect(await drop(house.eremos, folder, [path.join(house.world, "spoilt.bin")], "/")).toBe(1);
  const drops = path.join(folder, ".eremos", "drops");
  for (const object of fs.readdirSync(drops).filter((name) => !name.endsWith(".json")))
    fs.truncateSync(path.join(drops, object), 120);
  await drop(house.eremos, folder, [path.join(house.world, "letter.txt"), path.join(house.world, "bill.pdf")], "/");
  expect(only()).toMatchObject({ drops: 3, attention: expect.stringContaining("3 files were put in") });
  await visit();
  const arrived = (await call({ kind: "arrivals" })).entries;
  expect(arrived.map(({ name }) => name)).toEqual(["letter.txt", "bill.pdf", expect.stringContaining("can't be read")]);
  await call({ kind: "take-in", ids: [arrived[0]?.href ?? ""] });
  await call({ kind: "discard", ids: arrived.slice(1).map(({ href }) => href) });
  expect(await names()).toEqual(["2026", "Größe.txt", "letter (arrived while locked).txt", "letter.txt"]);
  expect(only()).toMatchObject({ drops: 0, attention: null });
});

it("ends when its time is up, at a sign-out and at Close up, and with it the drive and the keys", async () => {
  const timed = await visit(0.03);
  expect(await isListening(timed)).toBe(true);
  await vi.waitFor(() => expect(only()?.visit).toBeNull(), { timeout: 10_000 });
  expect(await isListening(timed)).toBe(false);
  await expect(call({ kind: "list", href: "/" })).rejects.toMatchObject({ code: "not-open" });

  const second = await visit();
  expect((await put(second, "/kept.txt", "kept")).status).toBe(201);
  await closeUp(house.eremos, false);
  await vi.waitFor(() => expect(house.eremos.visits.count).toBe(0), { timeout: 10_000 });
  const third = await visit();
  expect(await names()).toContain("kept.txt");
  signOut(house.eremos);
  await vi.waitFor(() => expect(house.eremos.visits.count).toBe(0), { timeout: 10_000 });
  expect(await isListening(third)).toBe(false);
});

it("opening in place ends the visit first; one folder is visited once, and only where it is sealed", async () => {
  const view = await visit();
  await expect(visit()).rejects.toMatchObject({ code: "busy" });
  expect((await put(view, "/from the visit.txt", "new")).status).toBe(201);
  await (
    await unlock(house.eremos, { pathOrId: folder, from: "/", accept: [], mode: { kind: "until-locked" } })
  ).outcome;
  expect(await isListening(view)).toBe(false);
  expect(fs.readFileSync(path.join(folder, "from the visit.txt"), "utf8")).toBe("new");
  await expect(visit()).rejects.toMatchObject({ code: "not-locked" });
  await lock(house.eremos, {
    path: folder,
    protection: { guard: "barred", visibility: "view", cover: null, icon: null, bars: null },
    inUseAnyway: false,
    from: "/",
  }).then(({ outcome }) => outcome);
  await expect(visit()).rejects.toMatchObject({ code: "unsupported" });
});

it("a folder with a password of its own is visited with it, and a damaged one says so", async () => {
  const id = only()?.id ?? "";
  await setFolderPassword(house.eremos, {
    folder: id,
    secret: null,
    password: { password: "rosin on the left shelf", hint: null },
  });
  await expect(visit()).rejects.toMatchObject({ code: "needs-folder-password" });
  const secret = { kind: "password", password: "rosin on the left shelf" } as const;
  await startVisit(house.eremos, { pathOrId: id, from: "/", minutes: null, accept: [], secret });
  expect(await names()).toContain("letter.txt");
  await house.eremos.visits.end(id);
  const index = path.join(only()?.realPath ?? "", ".eremos", "index");
  const [object = ""] = fs.readdirSync(index);
  fs.writeFileSync(path.join(index, object), Buffer.alloc(400, 7));
  await expect(
    startVisit(house.eremos, { pathOrId: id, from: "/", minutes: null, accept: [], secret }),
  ).rejects.toMatchObject({ code: "damaged" });
});
