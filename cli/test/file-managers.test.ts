import { spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { fileURLToPath } from "node:url";
import { afterEach, beforeEach, expect, it } from "vitest";
import { CommandLine, PASSWORD } from "./command-line";

/** Loads what Eremos wrote as the file manager does, and says what it offers and marks. */
const HOST = fileURLToPath(new URL("file-manager-host.py", import.meta.url));

let cli: CommandLine;
let dataHome: string;
let extensions: string;
beforeEach(async () => {
  cli = new CommandLine();
  dataHome = path.join(cli.base, "share");
  Object.assign(cli.env, { XDG_DATA_HOME: dataHome, XDG_CONFIG_HOME: path.join(cli.base, "config") });
  await cli.setUp();
  expect(cli.json(["integrate"]).status).toBe(0);
  extensions = path.join(dataHome, "nautilus-python", "extensions");
});
afterEach(() => cli.remove());

interface Seen {
  readonly offered: readonly string[];
  readonly marks: readonly string[];
}

/** `act`: what is chosen of what is offered, which then ends by itself. */
function seen(paths: readonly string[], act: string | null = null): Seen {
  const { stdout, stderr, status } = spawnSync("/usr/bin/python3", [HOST, extensions, act ?? "", ...paths], {
    env: cli.env,
    encoding: "utf8",
    timeout: 60_000,
  });
  expect([status, stderr]).toEqual([0, ""]);
  return JSON.parse(stdout) as Seen;
}
const offered = (...paths: string[]): readonly string[] => seen(paths).offered;
const marked = (...paths: string[]): readonly string[] => seen(paths).marks;

const FOR_PLAIN = [
  "Lock and hide",
  "Lock with a password of its own…",
  "Put a copy into a locked folder…",
  "Move into a locked folder…",
  "Hand over…",
  "Overwrite and remove…",
];
const FOR_LOCKED = ["Open…", "Visit…", "Hand over…", "Release…", "Remove…"];
const FOR_OPEN = ["Lock again", "Hand over…", "Release…", "Remove…"];

it("the menu offers what fits what is selected, and of several what fits all of them", () => {
  const [payroll, photos, letters] = ["Payroll", "Photos", "Letters"].map((name) => cli.makeFolder(name));
  const file = path.join(cli.world, "a letter.txt");
  fs.writeFileSync(file, "letter");
  expect(cli.run(["lock", payroll ?? "", photos ?? "", "--view"]).status).toBe(0);
  expect(cli.run(["unlock", photos ?? ""], PASSWORD).status).toBe(0);
  expect(offered(letters ?? "")).toEqual(FOR_PLAIN);
  expect(offered(file)).toEqual(FOR_PLAIN);
  expect(offered(payroll ?? "")).toEqual(FOR_LOCKED);
  expect(offered(path.join(payroll ?? "", "Open with Eremos"))).toEqual(FOR_LOCKED);
  expect(offered(photos ?? "")).toEqual(FOR_OPEN);
  // Of several, what is done with one at a time is not offered.
  expect(offered(letters ?? "", file)).toEqual(FOR_PLAIN.filter((name) => !/its own|Hand over/.test(name)));
  expect(offered(payroll ?? "", photos ?? "")).toEqual(["Release…", "Remove…"]);
  expect(offered(payroll ?? "", letters ?? "")).toEqual([]);
});

it("what is chosen in the menu is done with what is selected, whatever it is called", () => {
  const folders = [`it's "$(touch ran)" \n a name`, "--help"].map((name) => cli.makeFolder(name));
  seen(folders, "Lock and hide");
  for (const folder of folders) expect(fs.existsSync(folder), folder).toBe(false);
  expect(fs.existsSync(path.join(cli.world, "ran"))).toBe(false);
});

it("a folder that is locked in view is marked, one with a cover name, an open and a plain one is not", () => {
  const [payroll = "", photos = "", letters = "", open = ""] = ["Payroll", "Photos", "Letters", "Open"].map((name) =>
    cli.makeFolder(name),
  );
  expect(cli.run(["lock", payroll, open, "--view"]).status).toBe(0);
  expect(cli.run(["lock", photos, "--view", "--cover", "Old things"]).status).toBe(0);
  expect(cli.run(["unlock", open], PASSWORD).status).toBe(0);
  expect(marked(payroll, path.join(cli.world, "Old things"), letters, open)).toEqual([payroll]);
});

it("what somebody planted where the extension looks holds nothing up, leads nowhere, and marks nothing", () => {
  const locked = cli.makeFolder("Payroll");
  expect(cli.run(["lock", locked, "--view"]).status).toBe(0);
  const planted = (name: string, plant: (own: string) => void): string => {
    const folder = cli.makeFolder(name);
    plant(path.join(folder, ".eremos"));
    return folder;
  };
  const inside = (make: (own: string) => void) => (own: string) => {
    fs.mkdirSync(own);
    make(own);
  };
  const state = `state-${"0".repeat(32)}.json`;
  const folders = [
    planted("link", (own) => fs.symlinkSync(path.join(locked, ".eremos"), own)),
    planted(
      "pipe",
      inside((own) => expect(spawnSync("mkfifo", [path.join(own, state)]).status).toBe(0)),
    ),
    planted(
      "deep",
      inside((own) => fs.writeFileSync(path.join(own, state), "[".repeat(500_000))),
    ),
    planted(
      "large",
      inside((own) => {
        fs.writeFileSync(path.join(own, state), '{"sequence":1,"state":"sealed","lockedName":null,"x":"');
        fs.truncateSync(path.join(own, state), 8 * 2 ** 30);
      }),
    ),
    planted(
      "linked",
      inside((own) => {
        const [theirs = ""] = fs.readdirSync(path.join(locked, ".eremos")).filter((name) => name.startsWith("state-"));
        fs.symlinkSync(path.join(locked, ".eremos", theirs), path.join(own, state));
      }),
    ),
    planted("file", (own) => fs.writeFileSync(own, "")),
  ];
  expect(marked(...folders, locked)).toEqual([locked]);
  for (const folder of folders) expect(offered(folder)).toEqual(FOR_PLAIN);
});

it("menus and marks go without anything left of them, what the file manager made of them included", () => {
  seen([cli.makeFolder("Letters")]);
  const cached = path.join(extensions, "__pycache__");
  expect(fs.readdirSync(cached).length).toBeGreaterThan(0);
  fs.writeFileSync(path.join(extensions, "another.py"), "# somebody else's\n");
  fs.writeFileSync(path.join(cached, "eremos_menu.theirs.pyc"), "somebody else's\n");
  expect(cli.json(["integrate", "--remove"]).status).toBe(0);
  expect(fs.readdirSync(extensions).sort()).toEqual(["__pycache__", "another.py"]);
  expect(fs.readdirSync(cached)).toEqual(["eremos_menu.theirs.pyc"]);
  for (const gone of [
    "caja-python/extensions",
    "nemo-python/extensions",
    "Thunar/sendto",
    "icons/hicolor/scalable/emblems",
  ])
    expect(fs.readdirSync(path.join(dataHome, gone))).toEqual([]);
  expect(fs.existsSync(path.join(dataHome, "nautilus", "scripts", "Eremos"))).toBe(false);
});

it("where marks are wanted, a folder locked in view tells file managers its icon, one with a cover name does not; it goes at the opening", () => {
  const [payroll = "", photos = ""] = ["Payroll", "Photos"].map((name) => cli.makeFolder(name));
  const theirs = path.join(payroll, ".directory");
  fs.writeFileSync(theirs, "[Desktop Entry]\nIcon=folder-music\n");
  expect(cli.run(["lock", payroll, "--view"]).status).toBe(0);
  expect(cli.run(["lock", photos, "--view", "--cover", "Old things"]).status).toBe(0);
  expect(fs.readFileSync(theirs, "utf8")).toBe("[Desktop Entry]\nType=Directory\nIcon=emblem-eremos-locked\n");
  expect(fs.existsSync(path.join(cli.world, "Old things", ".directory"))).toBe(false);
  expect(cli.run(["unlock", payroll], PASSWORD).status).toBe(0);
  expect(fs.readFileSync(theirs, "utf8")).toBe("[Desktop Entry]\nIcon=folder-music\n");
});

it("an entry of “send to” locks what it is given", () => {
  const folder = cli.makeFolder("Payroll 100%");
  const entry = path.join(dataHome, "Thunar", "sendto", "eremos-lock.desktop");
  expect(spawnSync("desktop-file-validate", [entry], { encoding: "utf8" }).stdout).toBe("");
  expect(spawnSync("gio", ["launch", entry, folder], { env: cli.env }).status).toBe(0);
  return expect.poll(() => fs.existsSync(folder)).toBe(false);
});
