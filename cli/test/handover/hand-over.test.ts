import { createHash } from "node:crypto";
import { spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeEach, expect, it } from "vitest";
import { PackageReader, openPackage } from "../../../core/src/handover/package";
import type { PageHead } from "../../../core/src/handover/package-page";
import { CLI, CommandLine, PASSWORD } from "../command-line";

const PACKAGE_PASSWORD = "seven lamps along the quay";

let cli: CommandLine;
beforeEach(async () => {
  cli = new CommandLine();
  await cli.setUp();
});
afterEach(() => cli.remove());

interface Made {
  readonly path: string;
  readonly files: number;
  readonly sha256: string;
  readonly left: readonly { readonly path: string; readonly reason: string }[];
}

/** `input`: the passwords, a line each, as they are asked for. */
function handOver(words: readonly string[], ...input: string[]): { status: number | null; body: Made; err: string } {
  const { status, stdout, stderr } = spawnSync("node", [CLI, "hand-over", ...words, "--password-stdin", "--json"], {
    cwd: cli.world,
    env: cli.env,
    input: input.map((line) => `${line}\n`).join(""),
    encoding: "utf8",
  });
  return { status, body: JSON.parse(stdout) as Made, err: stderr };
}
const target = (name = "package.html"): string => path.join(cli.world, name);

/** What is in a package: names, and contents of its files. */
async function contents(file: string, password = PACKAGE_PASSWORD): Promise<Record<string, string>> {
  const text = fs.readFileSync(file, "latin1");
  const about = JSON.parse(/\{"layout":"inside".*?\}/.exec(text)?.[0] ?? "") as PageHead;
  const pieces = [...text.matchAll(/class="piece">([^<]*)</g)].map(([, piece = ""]) => Buffer.from(piece, "base64"));
  const sealed = Buffer.concat(pieces);
  const reader = new PackageReader(
    { size: sealed.length, read: async (at, count) => sealed.subarray(at, at + count) },
    await openPackage(Buffer.from(about.head, "base64"), password),
  );
  fs.writeFileSync(`${file}.zip`, await reader.read(0, reader.length));
  const listed = spawnSync(
    "python3",
    [
      "-c",
      "import sys,zipfile,json; z=zipfile.ZipFile(sys.argv[1]); print(json.dumps({i.filename: z.read(i)[:200].decode('latin1') for i in z.infolist()}))",
      `${file}.zip`,
    ],
    { encoding: "utf8" },
  );
  fs.rmSync(`${file}.zip`);
  return JSON.parse(listed.stdout) as Record<string, string>;
}

it("what lies readable becomes a package without the master password; it opens with the package's own, and its digest is told", async () => {
  const folder = cli.makeFolder("Letters");
  const { status, body } = handOver([folder, "--to", target(), "--plain"], PACKAGE_PASSWORD);
  expect([status, body.path, body.left.every(({ reason }) => reason === "it is a link")]).toEqual([
    body.left.length > 0 ? 4 : 0,
    target(),
    true,
  ]);
  expect(createHash("sha256").update(fs.readFileSync(target())).digest("hex")).toBe(body.sha256);
  const inside = await contents(target());
  expect(inside["Letters/letter.txt"]).toBe(fs.readFileSync(path.join(folder, "letter.txt"), "utf8"));
  await expect(contents(target(), PASSWORD)).rejects.toMatchObject({ code: "wrong-password" });
});

it("of a locked folder, hidden or with a password of its own, nothing is decrypted on the disk; it stays as it is", async () => {
  const folder = cli.makeFolder("Payroll");
  const letter = fs.readFileSync(path.join(folder, "letter.txt"), "utf8");
  expect(cli.run(["lock", folder]).status).toBe(0);
  const own = "a lantern by the weir";
  const set = spawnSync("node", [CLI, "passwd", folder, "--password-stdin"], {
    cwd: cli.world,
    env: cli.env,
    input: `${PASSWORD}\n${own}\n`,
    encoding: "utf8",
  });
  expect([set.status, set.stderr]).toEqual([0, expect.anything()]);
  const before = fs.readdirSync(cli.world);
  const { status } = handOver([folder, "--to", target()], PASSWORD, own, PACKAGE_PASSWORD);
  expect([0, 4]).toContain(status);
  expect((await contents(target()))["Payroll/letter.txt"]).toBe(letter);
  expect(fs.readdirSync(cli.world).sort()).toEqual([...before, "package.html"].sort());
  expect(cli.list()[0]?.state ?? "locked").toBe("locked");
  const events = cli.json<{ events: { kind: string; name: string }[] }>(["activity"], PASSWORD).body.events;
  expect(events.find(({ kind }) => kind === "handed-over")).toMatchObject({ name: "Payroll" });
});

it("of one that lies open, what is readable goes in, and nothing of Eremos' own", async () => {
  const folder = cli.makeFolder("Payroll");
  expect(cli.run(["lock", folder]).status).toBe(0);
  expect(cli.run(["unlock", folder], PASSWORD).status).toBe(0);
  expect([0, 4]).toContain(handOver([folder, "--to", target()], PASSWORD, PACKAGE_PASSWORD).status);
  const names = Object.keys(await contents(target()));
  expect(names).toContain("Payroll/letter.txt");
  expect(names.filter((name) => name.includes(".eremos"))).toEqual([]);
});

it("a weak password, the master password, a place that is taken, protected or elsewhere: refused before anything is made", () => {
  const folder = cli.makeFolder("Letters");
  const locked = cli.makeFolder("Payroll");
  expect(cli.run(["lock", locked, "--view"]).status).toBe(0);
  fs.writeFileSync(target("taken.html"), "theirs");
  const plain = (to: string, password = PACKAGE_PASSWORD): { status: number | null; err: string } =>
    handOver([folder, "--to", to, "--plain"], password);
  expect(plain(target(), "password1")).toMatchObject({ status: 4 });
  expect(plain(target(), PASSWORD)).toMatchObject({
    status: 4,
    err: expect.stringContaining("That is your master password") as string,
  });
  expect(plain(target("taken.html"))).toMatchObject({ status: 4 });
  expect(plain(path.join(locked, "package.html"))).toMatchObject({
    status: 4,
    err: expect.stringContaining("which is protected") as string,
  });
  expect(plain(path.join(cli.base, "package.html"))).toMatchObject({ status: 4 });
  expect(handOver([folder, "--to", target(), "--plain", "--as", "tar"], PACKAGE_PASSWORD).status).toBe(2);
  expect(handOver([folder, "--plain"], PACKAGE_PASSWORD).status).toBe(2);
  expect(handOver([locked, "--to", target(), "--plain"], PACKAGE_PASSWORD)).toMatchObject({ status: 4 });
  expect(fs.readFileSync(target("taken.html"), "utf8")).toBe("theirs");
  expect(fs.readdirSync(cli.world).sort()).toEqual(["Letters", "Payroll", "taken.html"]);
});
