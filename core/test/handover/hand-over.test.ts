import { spawnSync } from "node:child_process";
import { createHash } from "node:crypto";
import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeEach, expect, it } from "vitest";
import { type HandedOver, type PackageForm, handOver } from "../../src/handover/hand-over";
import { PackageReader, openPackage } from "../../src/handover/package";
import { BEHIND, type PageHead, packagePage } from "../../src/handover/package-page";
import { silentHooks } from "../../src/engine/ground";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import type { Disk } from "../../src/platform/port";
import { newDirectory, removeDirectory } from "../support/world";

const PASSWORD = "cello in the attic";
const PAGE = Buffer.from("<!doctype html><p>a page</p><script>%PACKAGE%</script>%PIECES%</body>");

let base: string;
beforeEach(() => {
  base = newDirectory();
});
afterEach(() => removeDirectory(base));

const at = (...parts: string[]): string => path.join(base, ...parts);
function put(content: string | Buffer, ...parts: string[]): string {
  fs.mkdirSync(path.dirname(at(...parts)), { recursive: true });
  fs.writeFileSync(at(...parts), content);
  return at(...parts);
}
const make = (
  paths: readonly string[],
  disk: Disk = linuxDisk,
  hooks = silentHooks,
  form: PackageForm = { kind: "page", page: PAGE },
): Promise<HandedOver> =>
  handOver(
    disk,
    {
      from: { kind: "paths", paths: paths.map((one) => Buffer.from(one)), isOpen: false },
      to: Buffer.from(at("package.html")),
      password: Buffer.from(PASSWORD),
      form,
    },
    hooks,
  );

/** The archive in a page, decrypted. */
async function archiveIn(file: string): Promise<Buffer> {
  const bytes = fs.readFileSync(file);
  const text = bytes.toString("latin1");
  const about = JSON.parse(/\{"layout".*?\}/.exec(text)?.[0] ?? "") as PageHead;
  const sealed =
    about.layout === "behind"
      ? bytes.subarray(Number(about.offset))
      : Buffer.concat(
          [...text.matchAll(/class="piece">([^<]*)</g)].map(([, piece = ""]) => Buffer.from(piece, "base64")),
        );
  const reader = new PackageReader(
    { size: sealed.length, read: async (from, count) => sealed.subarray(from, from + count) },
    await openPackage(Buffer.from(about.head, "base64"), PASSWORD),
  );
  return reader.read(0, reader.length);
}

it("files, folders and empty folders go in with their names and times; what can't go in stays out, and says why", async () => {
  put("Dear Jonas", "Letters", "2026", "Größe – é.txt");
  put("A\\B", "Letters", "a\\b.txt");
  fs.mkdirSync(at("Letters", "empty"));
  fs.symlinkSync("/etc/passwd", at("Letters", "link"));
  fs.mkdirSync(at("Letters", "private", ".eremos"), { recursive: true });
  const bill = put(Buffer.alloc(200_000, "bill"), "bill.pdf");
  fs.utimesSync(bill, 1_700_000_000, 1_700_000_000);
  const { files, bytes, size, digest, left } = await make([at("Letters"), bill]);
  expect([files, bytes]).toEqual([3, 200_000 + 10 + 3]);
  expect(left.map(({ path: one, reason }) => `${path.relative(base, one)}: ${reason}`).sort()).toEqual([
    "Letters/link: it is a link",
    "Letters/private: it is protected itself",
  ]);
  const made = fs.readFileSync(at("package.html"));
  expect([made.length, createHash("sha256").update(made).digest("hex")]).toEqual([size, digest]);
  expect(fs.statSync(at("package.html")).mode & 0o777).toBe(0o600);
  for (const told of ["Letters/", "bill.pdf", "Dear Jonas"]) expect(made.includes(told), told).toBe(false);

  fs.writeFileSync(at("inside.zip"), await archiveIn(at("package.html")));
  const listed = spawnSync(
    "python3",
    [
      "-c",
      "import sys,zipfile,json; z=zipfile.ZipFile(sys.argv[1]); print(json.dumps([z.testzip(), [[i.filename, i.file_size, i.date_time[0]] for i in z.infolist()]]))",
      at("inside.zip"),
    ],
    { encoding: "utf8" },
  );
  expect(JSON.parse(listed.stdout)).toEqual([
    null,
    [
      ["Letters/2026/Größe – é.txt", 10, expect.any(Number)],
      ["Letters/a_b.txt", 3, expect.any(Number)],
      ["Letters/empty/", 0, expect.any(Number)],
      ["bill.pdf", 200_000, 2023],
    ],
  ]);
});

it("nothing is made where something stands already, where nothing goes in, and when it is cancelled; nothing of it is left", async () => {
  const letter = put("Dear Jonas", "letter.txt");
  put("theirs", "package.html");
  await expect(make([letter])).rejects.toMatchObject({ code: "path-taken" });
  expect(fs.readFileSync(at("package.html"), "utf8")).toBe("theirs");
  fs.rmSync(at("package.html"));
  await expect(make([at("nothing")])).rejects.toMatchObject({ code: "not-found" });
  fs.symlinkSync("letter.txt", at("link"));
  await expect(make([at("link")])).rejects.toMatchObject({ code: "not-found" });
  await expect(make([letter], linuxDisk, { ...silentHooks, cancelled: () => true })).rejects.toMatchObject({
    code: "cancelled",
  });
  expect(fs.readdirSync(base).sort()).toEqual(["letter.txt", "link"]);
});

it("nothing is made of a file that changes while it is read, nor where the disk fails", async () => {
  const letter = put("Dear Jonas", "letter.txt");
  const meddling = (when: string, act: (...args: never[]) => void): Disk =>
    new Proxy(linuxDisk, {
      get: (target, name: keyof Disk) => {
        const method: unknown = target[name];
        if (name !== when || typeof method !== "function") return method;
        return (...args: never[]): unknown => {
          const result: unknown = Reflect.apply(method, target, args);
          act(...args);
          return result;
        };
      },
    });
  const changing = meddling("read", () => fs.appendFileSync(letter, " and Mara"));
  await expect(make([letter], changing)).rejects.toMatchObject({ code: "changed-while-locking" });
  const failing = meddling("syncFile", () => {
    throw Object.assign(new Error("EIO"), { code: "EIO" });
  });
  await expect(make([letter], failing)).rejects.toMatchObject({ code: "io" });
  expect(fs.readdirSync(base)).toEqual(["letter.txt"]);
});

it("a large one stands behind the page, from the byte that the page names, and what follows is no markup", () => {
  const parts: Buffer[] = [];
  const page = packagePage(PAGE, Buffer.from("{}"), 2 ** 40, (bytes) => parts.push(Buffer.from(bytes)));
  page.begin();
  page.add(Buffer.from("ENCRYPTED"));
  page.end();
  const all = Buffer.concat(parts);
  const about = JSON.parse(/\{"layout".*?\}/.exec(all.toString())?.[0] ?? "") as PageHead;
  expect(about.layout).toBe("behind");
  expect(all.subarray(Number(about.offset)).toString()).toBe("ENCRYPTED");
  expect(all.subarray(Number(about.offset) - BEHIND.length, Number(about.offset))).toEqual(BEHIND);
});
