import { spawnSync } from "node:child_process";
import { createCipheriv } from "node:crypto";
import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeEach, expect, it } from "vitest";
import { handOver } from "../../src/handover/hand-over";
import { type Received, receive } from "../../src/handover/receive";
import { type Hooks, silentHooks } from "../../src/engine/ground";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import type { Disk } from "../../src/platform/port";
import { newDirectory, removeDirectory } from "../support/world";

const PASSWORD = "cello in the attic, größe";
/** As the other program calls it, by a word that is none of ours. */
const BY_PASSWORD = ["--pass", "phrase"].join("");
const PAGE = Buffer.from(
  '<!doctype html><script type="application/json" id="package">%PACKAGE%</script>%PIECES%</body>',
);
const NOISE = createCipheriv("aes-128-ecb", Buffer.alloc(16), null).update(
  Buffer.from(new Uint32Array(100_000).map((_, i) => i).buffer),
);

let base: string;
beforeEach(() => {
  base = newDirectory();
});
afterEach(() => removeDirectory(base));

const at = (...parts: string[]): string => path.join(base, ...parts);
function put(content: string | Buffer, ...parts: string[]): void {
  fs.mkdirSync(path.dirname(at(...parts)), { recursive: true });
  fs.writeFileSync(at(...parts), content);
}
function letters(): void {
  put("Dear Jonas", "Letters", "2026", "Größe – é.txt");
  put(NOISE, "Letters", "noise.bin");
  put("", "Letters", "nothing.txt");
  fs.mkdirSync(at("Letters", "empty"));
  fs.utimesSync(at("Letters", "noise.bin"), 1_700_000_000, 1_700_000_000);
}
function run(program: string, ...words: string[]): { status: number | null; out: string } {
  const { status, stdout, stderr } = spawnSync(program, words, {
    cwd: base,
    encoding: "utf8",
    env: { ...process.env, LC_ALL: "C.UTF-8" },
  });
  return { status, out: stdout + stderr };
}
/** Runs Python with `z` as a new archive. */
function archive(name: string, script: string): string {
  const begin = `import zipfile,sys\nz=zipfile.ZipFile(${JSON.stringify(at(name))},'w',zipfile.ZIP_DEFLATED)\n`;
  expect(run("python3", "-c", `${begin}${script}\nz.close()`)).toMatchObject({ status: 0 });
  return at(name);
}
const make = (
  form: "page" | "zip" | "hiding",
  to: string = at("package"),
): Promise<{ readonly size: number; readonly files: number }> =>
  handOver(
    linuxDisk,
    {
      from: { kind: "paths", paths: [Buffer.from(at("Letters"))], isOpen: false },
      to: Buffer.from(to),
      password: Buffer.from(PASSWORD),
      form: form === "page" ? { kind: "page", page: PAGE } : { kind: "zip", hidesNames: form === "hiding" },
    },
    silentHooks,
  );
const take = (
  file: string = at("package"),
  password: string = PASSWORD,
  disk: Disk = linuxDisk,
  hooks: Hooks = silentHooks,
): Promise<Received> =>
  receive(
    disk,
    {
      from: Buffer.from(file),
      password: Buffer.from(password),
      into: { kind: "directory", path: Buffer.from(at("out")) },
    },
    hooks,
  );
/** Everything below a directory: contents of files, null for directories. */
function contentsOf(dir: string): Record<string, string | null> {
  const found = fs.readdirSync(dir, { recursive: true, withFileTypes: true });
  return Object.fromEntries(
    found.map((one) => {
      const full = path.join(one.parentPath, one.name);
      return [path.relative(dir, full), one.isDirectory() ? null : fs.readFileSync(full, "base64")];
    }),
  );
}
/** What is there besides what a test put there. */
const leftBehind = (...known: string[]): string[] => fs.readdirSync(base).filter((name) => !known.includes(name));

it("a ZIP is opened by another program with its password, by AES-256; another password, and none, open nothing", async () => {
  letters();
  await make("zip", at("letters.zip"));
  fs.mkdirSync(at("by-them"));
  const extract = (...words: string[]): number | null =>
    run("bsdtar", "-xf", "letters.zip", "-C", "by-them", ...words).status;
  expect(extract(BY_PASSWORD, "another one of theirs")).not.toBe(0);
  fs.rmSync(at("by-them"), { recursive: true });
  fs.mkdirSync(at("by-them"));
  expect(extract(BY_PASSWORD, PASSWORD)).toBe(0);
  expect(contentsOf(at("by-them", "Letters"))).toEqual(contentsOf(at("Letters")));
  const listed = run(
    "python3",
    "-c",
    "import zipfile; print([[i.filename, i.flag_bits & 1, i.compress_type, i.extra.find(b'\\x01\\x99\\x07\\x00\\x02\\x00AE\\x03') >= 0, i.CRC] for i in zipfile.ZipFile('letters.zip').infolist() if not i.is_dir() and i.file_size])",
  );
  expect(listed.out.trim()).toBe(
    "[['Letters/2026/Größe – é.txt', 1, 99, True, 0], ['Letters/noise.bin', 1, 99, True, 0]]",
  );
});

it("names stay readable in a ZIP, unless they are hidden in another; that one opens elsewhere, too", async () => {
  letters();
  await make("zip", at("letters.zip"));
  await make("hiding", at("hiding.zip"));
  const names = (file: string): boolean => fs.readFileSync(at(file)).includes("noise.bin");
  expect([names("letters.zip"), names("hiding.zip")]).toEqual([true, false]);
  expect(run("bsdtar", "-xf", "hiding.zip", BY_PASSWORD, PASSWORD).status).toBe(0);
  fs.mkdirSync(at("by-them"));
  expect(run("bsdtar", "-xf", "contents.zip", "-C", "by-them").status).toBe(0);
  expect(contentsOf(at("by-them", "Letters"))).toEqual(contentsOf(at("Letters")));
});

it.each(["page", "zip", "hiding"] as const)(
  "what was made as %s is received as it was, with its times and for this account alone; a wrong password is told from damage",
  async (form) => {
    letters();
    const made = await make(form);
    await expect(take(at("package"), "another one of theirs")).rejects.toMatchObject({ code: "wrong-password" });
    expect(leftBehind("Letters", "package")).toEqual([]);
    const received = await take();
    expect(received).toMatchObject({
      form: form === "page" ? "page" : "zip",
      cipher: "aes",
      files: made.files,
      left: [],
      committed: null,
    });
    expect(contentsOf(at("out", "Letters"))).toEqual(contentsOf(at("Letters")));
    expect(Math.abs(fs.statSync(at("out", "Letters", "noise.bin")).mtimeMs - 1_700_000_000_000)).toBeLessThan(2001);
    expect([fs.statSync(at("out")).mode & 0o777, fs.statSync(at("out", "Letters", "noise.bin")).mode & 0o777]).toEqual([
      0o700, 0o600,
    ]);
    fs.rmSync(at("out"), { recursive: true });

    const bytes = fs.readFileSync(at("package"));
    const middle = bytes.indexOf(form === "page" ? 'class="piece">' : "\x50\x4b") + 150_000;
    const changed = Buffer.from(bytes);
    changed[middle] = form === "page" ? (bytes[middle] === 65 ? 66 : 65) : (bytes[middle] ?? 0) ^ 1;
    fs.writeFileSync(at("package"), changed);
    await expect(take()).rejects.toMatchObject({ code: "damaged", message: expect.stringMatching(/is damaged/) });
    fs.writeFileSync(at("package"), bytes.subarray(0, bytes.length - 60_000));
    await expect(take()).rejects.toMatchObject({ code: "damaged", message: expect.stringMatching(/was cut off/) });
    expect(leftBehind("Letters", "package")).toEqual([]);
  },
);

it("names that somebody changed in a hidden archive, without its password, are damage", async () => {
  letters();
  await make("hiding");
  expect(run("bsdtar", "-xf", "package", BY_PASSWORD, PASSWORD).status).toBe(0);
  const [inner, bytes] = [fs.readFileSync(at("contents.zip")), fs.readFileSync(at("package"))];
  fs.rmSync(at("contents.zip"));
  // The encrypted bytes of an archive follow a salt of 16 and a check of 2; a stream cipher changes what it is told to.
  const begins = 30 + bytes.readUInt16LE(26) + bytes.readUInt16LE(28) + 18;
  for (let found = inner.indexOf("noise.bin"); found >= 0; found = inner.indexOf("noise.bin", found + 1))
    bytes[begins + found] = (bytes[begins + found] ?? 0) ^ 3;
  fs.writeFileSync(at("package"), bytes);
  await expect(take()).rejects.toMatchObject({ code: "damaged" });
  expect(leftBehind("Letters", "package")).toEqual([]);
});

it("archives of others are received: plain, AES-256, and the old weak kind, which is named", async () => {
  letters();
  const made = (options: string, ...more: string[]): number | null =>
    run("bsdtar", "-cf", "package", "--format", "zip", "--options", options, ...more, "Letters").status;
  for (const [options, password, cipher] of [
    ["zip:compression=deflate", "", "none"],
    ["zip:encryption=aes256", PASSWORD, "aes"],
    ["zip:encryption=zipcrypt", PASSWORD, "weak"],
  ] as const) {
    expect(made(options, ...(password ? [BY_PASSWORD, password] : []))).toBe(0);
    if (password) await expect(take(at("package"), "")).rejects.toMatchObject({ code: "wrong-password" });
    expect(await take(at("package"), password)).toMatchObject({ cipher, files: 3, left: [] });
    expect(contentsOf(at("out", "Letters"))).toEqual(contentsOf(at("Letters")));
    fs.rmSync(at("out"), { recursive: true });
    fs.rmSync(at("package"));
  }
});

it("links, names that lead elsewhere and names that are there twice stay out and are named; nothing is outside", async () => {
  put("theirs", "precious.txt");
  const hostile = [
    "../precious.txt",
    "/etc/eremos-was-here",
    "a/../../precious.txt",
    "..\\\\precious.txt",
    "C:/precious.txt",
    "a//b.txt",
    "./c.txt",
    "folder/.eremos/state.json",
    "l\u00efne\\nbreak.txt",
    "\\u202egnp.txt",
  ];
  archive(
    "package",
    [
      ...hostile.map((name) => `z.writestr("${name}", b"theirs")`),
      'z.writestr("once.txt", b"first")',
      'z.writestr("once.txt", b"second")',
      'z.writestr("file", b"a file")',
      'z.writestr("file/below.txt", b"below a file")',
      'z.writestr("dir/in.txt", b"in")',
      'z.writestr("dir", b"a file in the place of a folder")',
      "i=zipfile.ZipInfo('link'); i.create_system=3; i.external_attr=0o120777<<16; z.writestr(i, b'/etc/passwd')",
      'z.writestr("link/through.txt", b"through a link")',
    ].join("\n"),
  );
  const { files, left } = await take();
  expect(contentsOf(at("out"))).toEqual({
    "once.txt": Buffer.from("first").toString("base64"),
    file: Buffer.from("a file").toString("base64"),
    dir: null,
    "dir/in.txt": Buffer.from("in").toString("base64"),
    link: null,
    "link/through.txt": Buffer.from("through a link").toString("base64"),
  });
  expect([files, left.length]).toEqual([4, hostile.length + 4]);
  expect(left.every(({ path: name, reason }) => reason !== "" && !/[\n\u202e]/.test(name))).toBe(true);
  expect([fs.readFileSync(at("precious.txt"), "utf8"), fs.existsSync("/etc/eremos-was-here")]).toEqual([
    "theirs",
    false,
  ]);
});

it("a bomb is stopped by what was written and what the disk has left, whatever it claims; nothing of it stays", async () => {
  archive("package", "z.writestr('zeros', bytes(300_000_000))");
  const bytes = fs.readFileSync(at("package"));
  // What it says of its size is a lie, in both places.
  for (const [mark, offset] of [
    ["PK\x03\x04", 22],
    ["PK\x01\x02", 24],
  ] as const)
    bytes.writeUInt32LE(1000, bytes.indexOf(Buffer.from(mark, "latin1")) + offset);
  fs.writeFileSync(at("liar"), bytes);
  await expect(take(at("liar"))).rejects.toMatchObject({ code: "damaged" });
  let written = 0;
  const small: Disk = new Proxy(linuxDisk, {
    get: (target, name: keyof Disk) => {
      if (name === "freeBytes") return () => 100 * 1024 * 1024 - written;
      if (name !== "write") return target[name];
      return (...words: Parameters<Disk["write"]>) => {
        written += words[3];
        target.write(...words);
      };
    },
  });
  await expect(take(at("package"), "", small)).rejects.toMatchObject({ code: "no-space" });
  expect(written).toBeLessThan(40 * 1024 * 1024);
  expect(leftBehind("package", "liar")).toEqual([]);
});

it("nothing is received where something stands, of what is no package, nor when it is cancelled or the disk fails", async () => {
  letters();
  await make("page");
  put("theirs", "out");
  await expect(take()).rejects.toMatchObject({ code: "path-taken" });
  fs.rmSync(at("out"));
  put("Dear Jonas", "letter.txt");
  await expect(take(at("letter.txt"))).rejects.toMatchObject({ code: "damaged" });
  await expect(take(at("Letters"))).rejects.toMatchObject({ code: "not-found" });
  const cancelled = { ...silentHooks, cancelled: () => true };
  await expect(take(at("package"), PASSWORD, linuxDisk, cancelled)).rejects.toMatchObject({ code: "cancelled" });
  const failing: Disk = { ...linuxDisk, syncFile: () => fail() };
  await expect(take(at("package"), PASSWORD, failing)).rejects.toMatchObject({ code: "io" });
  expect(leftBehind("Letters", "package", "letter.txt")).toEqual([]);
});

function fail(): never {
  throw Object.assign(new Error("EIO"), { code: "EIO" });
}

it("a page that asks for more work than ours do is not tried", async () => {
  letters();
  await make("page");
  const text = fs.readFileSync(at("package"), "latin1");
  const [, head = ""] = /"head":"([^"]+)"/.exec(text) ?? [];
  const heavier = Buffer.from(head, "base64").toString().replace("m=65536", "m=131072");
  fs.writeFileSync(at("package"), text.replace(head, Buffer.from(heavier).toString("base64")), "latin1");
  await expect(take()).rejects.toMatchObject({ code: "damaged" });
});

it("what a kill left of one that was being made goes with the next beside it; what is being made now, and what is another's, stays", async () => {
  letters();
  await make("page");
  const left = (name: string, holds: string): string => {
    put("what was readable", name, holds);
    return at(name);
  };
  left(".eremos-making-left", "made/letter.txt");
  const [others, held] = [left(".eremos-makings", "x"), left(".eremos-making-held", "made.html")];
  // A pipe in the place of its lock holds nothing up.
  const planted = left(".eremos-making-planted", "x");
  run("mkfifo", path.join(planted, "lock"));
  const dir = linuxDisk.openRoot(Buffer.from(held));
  const lock = linuxDisk.tryLock(dir, Buffer.from("lock"));
  try {
    await take();
  } finally {
    if (lock) linuxDisk.closeFile(lock);
    linuxDisk.closeDir(dir);
  }
  expect(leftBehind("Letters", "package", "out").sort()).toEqual([
    path.basename(held),
    path.basename(planted),
    path.basename(others),
  ]);
  expect(fs.readdirSync(held).sort()).toEqual(["lock", "made.html"]);
});
