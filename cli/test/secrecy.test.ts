import { type SpawnSyncReturns, spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { CommandLine, PASSWORD } from "./command-line";

const NEEDLES = ["Adoption", "notes on Jonas", "court must not hear", "unmistakable-content-4711"];
const CONTENT = "unmistakable-content-4711";

const cli = new CommandLine();
const { world, data, base } = cli;
const folder = path.join(world, "Adoption papers");

beforeAll(async () => {
  fs.mkdirSync(folder);
  fs.writeFileSync(path.join(folder, "notes on Jonas.txt"), `${CONTENT} court must not hear\n`.repeat(400));
  fs.writeFileSync(path.join(folder, "large.bin"), Buffer.alloc(2_000_000, CONTENT));
  await cli.setUp();
  expect(cli.run(["lock", folder, "--hide"]).status).toBe(0);
  expect(cli.list()).toHaveLength(1);
});
afterAll(() => {
  expect(cli.run(["release", folder], PASSWORD).status).toBe(0);
  expect(fs.readFileSync(path.join(folder, "large.bin"))).toEqual(Buffer.alloc(2_000_000, CONTENT));
  cli.remove();
});

function filesWith(needle: string, place: string): string {
  return spawnSync("grep", ["-r", "-a", "-l", "-F", needle, place], { encoding: "utf8" }).stdout;
}

describe("somebody with the disk in hand", () => {
  it("finds no name and no byte in the place or the data directory", () => {
    for (const needle of NEEDLES) {
      for (const place of [world, data]) {
        expect(filesWith(needle, place), needle).toBe("");
        expect(spawnSync("find", [place, "-name", `*${needle}*`], { encoding: "utf8" }).stdout, needle).toBe("");
      }
    }
  });

  it("finds no protected path in the data directory", () => {
    for (const name of fs.readdirSync(data).filter((entry) => fs.statSync(path.join(data, entry)).isFile())) {
      const { stdout } = spawnSync("strings", ["-n", "4", path.join(data, name)], { encoding: "utf8" });
      const encoded = Buffer.from(folder).toString("base64").slice(0, 24);
      for (const needle of [world, "Adoption", encoded]) expect(stdout, name).not.toContain(needle);
    }
  });

  it("finds all of it while the folder is open: the search itself works", () => {
    expect(cli.run(["unlock", folder], PASSWORD).status).toBe(0);
    expect(filesWith(CONTENT, world)).toContain("notes on Jonas.txt");
    expect(cli.run(["lock", folder]).status).toBe(0);
    expect(filesWith(CONTENT, base)).toBe("");
    expect(cli.list()).toHaveLength(1);
    for (const needle of NEEDLES) expect(filesWith(needle, base), needle).toBe("");
  });
});

describe("another account of this computer", () => {
  const account = "eremos-onlooker";
  const asOther = (command: string): SpawnSyncReturns<string> =>
    spawnSync("runuser", ["-u", account, "--", "sh", "-c", command], { encoding: "utf8" });

  it.runIf(process.getuid?.() === 0)("gets in nowhere", () => {
    if (spawnSync("id", [account]).status !== 0)
      expect(spawnSync("useradd", ["--system", "--no-create-home", account]).status).toBe(0);
    for (const place of [base, world]) fs.chmodSync(place, 0o755);
    const realPath = cli.list()[0]?.realPath ?? "";
    expect(asOther(`ls -A '${world}'`).stdout.trim()).toBe(path.basename(realPath));
    const everything = asOther(
      `ls -laR '${world}' '${data}'; cat '${realPath}/.eremos/header.json' '${data}/device.json'; find '${base}' -type f -exec cat {} +`,
    );
    for (const needle of NEEDLES) expect(everything.stdout).not.toContain(needle);
    expect(asOther(`ls '${realPath}/.eremos'`).status).not.toBe(0);
    expect(asOther(`ls '${data}'`).status).not.toBe(0);
    expect(asOther(`rm -rf '${realPath}'`).status).not.toBe(0);
    expect(fs.existsSync(path.join(realPath, ".eremos", "header.json"))).toBe(true);
  });
});
