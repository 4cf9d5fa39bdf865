import { spawn, spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { snapshot } from "../../core/test/support/world";
import { CLI, CommandLine, PASSWORD } from "./command-line";

const cli = new CommandLine();
const { world } = cli;
afterAll(() => cli.remove());

describe("before and at the first run", () => {
  it("refuses to work before setup, and sets up once", () => {
    expect(cli.json(["list"], PASSWORD)).toMatchObject({ status: 4, body: { error: { code: "not-set-up" } } });
    expect(cli.json(["setup"], "weak")).toMatchObject({ status: 4, body: { error: { code: "weak-password" } } });
    expect(cli.json(["setup", "--effort", "light"], PASSWORD)).toEqual({
      status: 0,
      body: { recoveryCode: expect.stringMatching(/^([0-9A-Z]{5}-){7}[0-9A-Z]{5}$/) },
    });
    expect(cli.json(["setup", "--effort", "light"], PASSWORD)).toMatchObject({
      status: 4,
      body: { error: { code: "already-set-up" } },
    });
  });
});

describe("the whole way", () => {
  it("locks without a password, lists, checks, opens, locks again and releases, exactly", () => {
    const folder = cli.makeFolder("Payroll");
    expect(cli.run(["lock", folder, "--hide"]).status).toBe(0);
    expect(fs.existsSync(folder)).toBe(false);

    const folders = cli.list();
    expect(folders).toEqual([
      {
        id: expect.any(String),
        kind: "folder",
        path: folder,
        realPath: expect.stringMatching(/\/\.[0-9a-f]{20}$/),
        guard: "sealed",
        visibility: "hidden",
        cover: null,
        bars: null,
        hasPassword: false,
        state: "locked",
        removed: null,
        files: 10,
        bytes: expect.any(Number),
      },
    ]);
    expect(cli.json(["check", folder], PASSWORD)).toEqual({ status: 0, body: { ok: true, damaged: [] } });
    expect(cli.json(["lock", folder])).toMatchObject({ status: 4, body: { error: { code: "needs-sign-in" } } });

    expect(cli.json(["unlock", folder], PASSWORD)).toMatchObject({ status: 0, body: { path: folder } });
    expect(cli.list()[0]).toMatchObject({ state: "open", realPath: folder });
    fs.appendFileSync(path.join(folder, "letter.txt"), "PS");
    const edited = snapshot(folder, { withoutOwnDir: true });
    expect(cli.run(["lock", "Payroll"]).status).toBe(0);
    expect(cli.list()[0]).toMatchObject({ state: "locked", visibility: "hidden" });

    const id = folders[0]?.id ?? "";
    expect(cli.json(["unlock", id], PASSWORD).status).toBe(0);
    expect(cli.json(["release", id], PASSWORD)).toEqual({ status: 0, body: { path: folder } });
    expect(snapshot(folder)).toEqual(edited);
    expect(cli.list()).toEqual([]);
    expect(fs.readdirSync(world)).toEqual(["Payroll"]);
    fs.rmSync(folder, { recursive: true });
  });
});

describe("another master password", () => {
  it("opens what was locked with the old one, which opens nothing any more", () => {
    const folder = cli.makeFolder("Letters");
    const before = snapshot(folder);
    expect(cli.run(["lock", folder]).status).toBe(0);
    const renewed = "half a cello and its bow";
    const change = (from: string, to: string): number | null => cli.run(["passwd"], `${from}\n${to}`).status;
    expect(change("not this one at all", renewed)).toBe(3);
    expect(change(PASSWORD, renewed)).toBe(0);
    expect(cli.json(["release", folder], PASSWORD)).toMatchObject({
      status: 3,
      body: { error: { code: "wrong-password" } },
    });
    expect(cli.json(["release", folder], renewed).status).toBe(0);
    expect(snapshot(folder)).toEqual(before);
    expect(change(renewed, PASSWORD)).toBe(0);
    fs.rmSync(folder, { recursive: true });
  });
});

describe("what is wrong", () => {
  let folder: string;
  beforeAll(() => {
    folder = cli.makeFolder("Refusals");
  });
  afterAll(() => fs.rmSync(folder, { recursive: true }));

  it("is said by exit codes, and nothing is touched", () => {
    const before = snapshot(folder);
    expect(cli.run([]).status).toBe(0);
    for (const words of [
      ["frobnicate"],
      ["lock"],
      ["check", folder, folder],
      ["lock", folder, "--unknown"],
      ["list", "--hide"],
      ["lock", folder, "--hide", "--view"],
    ])
      expect(cli.json(words).status, words.join(" ")).toBe(2);
    expect(cli.json(["unlock", folder], "wrong")).toMatchObject({
      status: 3,
      body: { error: { code: "wrong-password" } },
    });
    expect(cli.json(["unlock", folder], PASSWORD)).toMatchObject({
      status: 4,
      body: { error: { code: "not-protected" } },
    });
    for (const [place, code] of [
      [world, "off-limits"],
      ["/etc", "off-limits"],
      ["/", "off-limits"],
      [cli.data, "off-limits"],
      [path.join(folder, "link to letter"), "not-a-folder"],
      [path.join(world, "gone"), "needs-sign-in"],
    ] as const) {
      expect(cli.json(["lock", place]), place).toMatchObject({ status: 4, body: { error: { code } } });
    }
    expect(cli.json(["lock", path.join(world, "gone")], PASSWORD)).toMatchObject({
      status: 4,
      body: { error: { code: "not-found" } },
    });
    expect(snapshot(folder)).toEqual(before);
  });

  it("nested folders are refused both ways round", () => {
    const inner = path.join(folder, "photos");
    expect(cli.run(["lock", inner, "--hide"]).status).toBe(0);
    expect(cli.json(["lock", folder])).toMatchObject({ status: 4, body: { error: { code: "nested" } } });
    expect(cli.run(["release", inner], PASSWORD).status).toBe(0);
    expect(cli.run(["lock", folder, "--view"]).status).toBe(0);
    expect(cli.json(["lock", folder])).toMatchObject({ status: 4, body: { error: { code: "already-protected" } } });
    fs.mkdirSync(path.join(folder, "inside"));
    expect(cli.json(["lock", path.join(folder, "inside")])).toMatchObject({
      status: 4,
      body: { error: { code: "nested" } },
    });
    fs.rmdirSync(path.join(folder, "inside"));
    expect(cli.run(["release", folder], PASSWORD).status).toBe(0);
  });

  it("damaged files are named with exit code 5, and come out once the disk gives them back", () => {
    expect(cli.run(["lock", folder, "--view"]).status).toBe(0);
    const packs = path.join(folder, ".eremos", "packs");
    const [largest = ""] = fs
      .readdirSync(packs, { recursive: true, encoding: "utf8" })
      .map((name) => path.join(packs, name))
      .filter((file) => fs.statSync(file).isFile())
      .sort((a, b) => fs.statSync(b).size - fs.statSync(a).size);
    const flip = (): void => {
      const bytes = fs.readFileSync(largest);
      bytes[700_000] = (bytes[700_000] ?? 0) ^ 1;
      fs.writeFileSync(largest, bytes);
    };
    flip();
    expect(cli.json(["check", folder, "--full"], PASSWORD)).toMatchObject({
      status: 5,
      body: {
        ok: false,
        damaged: [
          {
            path: "photos/large.bin",
            reason: expect.any(String),
            ranges: [{ from: expect.any(Number), until: expect.any(Number) }],
          },
        ],
      },
    });
    expect(cli.json(["unlock", folder], PASSWORD)).toMatchObject({
      status: 5,
      body: { error: { code: "files-damaged", message: expect.stringContaining("photos/large.bin is damaged") } },
    });
    expect(fs.readdirSync(folder).sort()).toEqual([".eremos", "Locked with Eremos.html"]);
    flip();
    expect(cli.run(["release", folder], PASSWORD).status).toBe(0);
  });
});

describe("interruption", () => {
  it("one thing at a time with a folder; an interrupt and a kill put everything back", async () => {
    const folder = cli.makeFolder("Interrupted");
    for (let i = 0; i < 20; i++) fs.writeFileSync(path.join(folder, `take ${i}.raw`), Buffer.alloc(10_000_000, i));
    const before = snapshot(folder);
    const lockAndSend = (signal: NodeJS.Signals): Promise<number | null> =>
      new Promise((resolve) => {
        const child = spawn("node", [CLI, "lock", folder, "--hide"], { env: cli.env, cwd: world });
        child.stderr.on("data", (data) => {
          if (!String(data).includes("Sealing")) return;
          child.kill("SIGSTOP");
          expect(cli.json(["lock", folder]).body).toMatchObject({ error: { code: "busy" } });
          child.kill(signal);
          child.kill("SIGCONT");
        });
        child.on("exit", (code) => resolve(code));
      });
    expect(await lockAndSend("SIGINT")).toBe(6);
    expect(snapshot(folder)).toEqual(before);
    expect(await lockAndSend("SIGKILL")).toBeNull();
    expect(fs.existsSync(path.join(folder, ".eremos"))).toBe(true);
    expect(cli.list()).toEqual([]);
    expect(snapshot(folder)).toEqual(before);
    fs.rmSync(folder, { recursive: true });
  });
});

describe("the Onlooker", () => {
  it("shows what another program lists", () => {
    const folder = cli.makeFolder("Seen");
    fs.writeFileSync(path.join(world, ".dotted"), "");
    fs.writeFileSync(path.join(world, "listed.txt"), "");
    fs.writeFileSync(path.join(world, ".hidden"), "listed.txt\n");
    interface Seen {
      readonly place: string;
      readonly kinds: readonly {
        readonly kind: string;
        readonly entries: readonly { readonly name: string; readonly type: string; readonly size: number }[];
        readonly verdict: string;
      }[];
    }
    const names = (kind: string): string[] =>
      cli
        .json<Seen>(["onlooker", world])
        .body.kinds.find((view) => view.kind === kind)
        ?.entries.map((entry) => entry.name)
        .sort() ?? [];
    const ls = (...flags: string[]): string[] =>
      spawnSync("ls", ["-1", ...flags, world], { encoding: "utf8" })
        .stdout.split("\n")
        .filter((line) => line !== "")
        .sort();
    expect(names("keyboard-hidden-shown")).toEqual(ls("-A"));
    expect(names("keyboard")).toEqual(ls().filter((name) => name !== "listed.txt"));
    expect(cli.run(["lock", folder, "--hide"]).status).toBe(0);
    expect(names("keyboard")).toEqual([]);
    expect(names("keyboard-hidden-shown")).toEqual(ls("-A"));
    const disk = names("disk").join("\n");
    expect(disk).not.toContain("Seen");
    expect(disk).toContain(".eremos/packs/");
    expect(cli.json<Seen>(["onlooker", folder]).body).toMatchObject({ place: world });
    expect(cli.run(["release", folder], PASSWORD).status).toBe(0);
    for (const name of [".dotted", "listed.txt", ".hidden"]) fs.rmSync(path.join(world, name));
    fs.rmSync(folder, { recursive: true });
  });

  it("asks for a folder's own password where it has one, and takes the recovery code in its place", async () => {
    const cli = new CommandLine();
    const code = await cli.setUp();
    const folder = cli.makeFolder("Adoption papers");
    const before = snapshot(folder);
    const both = `${PASSWORD}\nrosin on the left shelf`;
    expect(cli.run(["lock", folder, "--folder-password", "--hint", "where it lies"], both).status).toBe(0);
    expect(cli.list()).toMatchObject([{ hasPassword: true, state: "locked" }]);
    expect(cli.run(["unlock", folder], PASSWORD).status).toBe(3);
    expect(cli.run(["passwd", folder], `${both}\ngut strings, never steel`).status).toBe(0);
    expect(cli.run(["unlock", folder], `${PASSWORD}\ngut strings, never steel`).status).toBe(0);
    expect(cli.run(["lock", folder]).status).toBe(0);
    expect(cli.run(["release", folder, "--with-code"], `${PASSWORD}\n${code}`).status).toBe(0);
    expect(snapshot(folder)).toEqual(before);
    cli.remove();
  });
});
