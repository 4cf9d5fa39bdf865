/**
 * Measures visits: how long until the first byte of a file comes, by the size of the folder, and how fast a file comes
 * through WebDAV beside decrypting alone. Ratios in one run; writes docs/BENCHMARKS-VISIT.md. `--quick`: without the
 * folder of 10 GiB; writes nothing.
 */
import { spawn, spawnSync } from "node:child_process";
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { cpus, tmpdir } from "node:os";
import { join } from "node:path";
import { makeCorpus } from "./bench/corpora.mjs";
import { bytesOfChanges, firstBytes, house, lock } from "./bench/house.mjs";
import { median } from "./bench/measure.mjs";
import { build, install, requireNode, root } from "./steps.mjs";

requireNode();
install();
await build();
const core = await import("@eremos/core");
const quick = process.argv.includes("--quick");

const FOLDERS = {
  "100 files": { files: 100, directories: 10, size: () => 4096 },
  "100,000 files": { files: 100_000, directories: 1000, size: () => 1024 },
  ...(quick ? {} : { "10 GiB in 40 files": { files: 40, directories: 4, size: () => 268_435_456 } }),
};
const ROUNDS = 9;
const DAV_BYTES = 512 * 1024 * 1024;
const PASSWORD = "violin varnish at dusk";

const { envelope, rootKey } = await core.createOwner(PASSWORD, core.newRecoveryCode(), core.LEAST_COST);
const known = house(core, envelope, rootKey, core.generateSigningKey().publicKey);
const base = mkdtempSync(join(tmpdir(), "eremos-bench-"));

async function measureFolder(name, shape) {
  const folder = join(base, name);
  mkdirSync(folder);
  makeCorpus(folder, shape);
  await lock(known, folder, core.newId());
  const opens = [];
  const firsts = [];
  for (let i = 0; i < ROUNDS; i++) {
    const { opened, times } = await firstBytes(known, folder, shape, 200);
    opens.push(opened);
    firsts.push(median(times));
  }
  rmSync(folder, { recursive: true });
  return { open: median(opens), first: median(firsts) };
}

const LARGE = { files: 16_000, directories: 160, size: () => 62_500 };
const CHANGES = 200;

async function measureChanges() {
  const folder = join(base, "16,000 files");
  mkdirSync(folder);
  makeCorpus(folder, LARGE);
  await lock(known, folder, core.newId());
  const bytes = await bytesOfChanges(known, folder, LARGE, CHANGES);
  rmSync(folder, { recursive: true });
  return bytes;
}

/** Seconds to decrypt so many bytes in memory, chunk by chunk, as a file's pack is. */
function decryptAlone() {
  const cipher = core.chunkCipher(Buffer.alloc(32, 7));
  const plain = Buffer.alloc(65_536, 5);
  const sealed = Buffer.alloc(65_536 + 16);
  const nonce = Buffer.alloc(12);
  cipher.seal(nonce, plain, sealed);
  const began = performance.now();
  for (let at = 0; at < DAV_BYTES; at += plain.length) cipher.open(nonce, sealed, plain);
  cipher.wipe();
  return (performance.now() - began) / 1000;
}

/** A file through the drive of a visit, by the real program, and the memory that took. */
async function throughDav() {
  const world = join(base, "world");
  const folder = join(world, "Films");
  mkdirSync(folder, { recursive: true });
  makeCorpus(folder, { files: 1, directories: 1, size: () => DAV_BYTES });
  const env = {
    ...process.env,
    EREMOS_DATA: join(base, "data"),
    EREMOS_PLACES: world,
    XDG_CONFIG_HOME: join(base, "config"),
  };
  const eremos = (...args) =>
    spawnSync("node", [join(root, "cli/bin/eremos.mjs"), ...args], { env, input: `${PASSWORD}\n`, encoding: "utf8" });
  eremos("setup", "--password-stdin");
  eremos("lock", folder);
  const visit = spawn("node", [join(root, "cli/bin/eremos.mjs"), "visit", folder, "--json", "--password-stdin"], {
    env,
    stdio: ["pipe", "pipe", "inherit"],
  });
  visit.stdin.end(`${PASSWORD}\n`);
  const { url, user, password } = JSON.parse(
    await new Promise((resolve) => visit.stdout.once("data", (part) => resolve(String(part)))),
  );
  const get = () =>
    Number(
      spawnSync(
        "curl",
        ["-s", "-o", "/dev/null", "-w", "%{time_total}", "-u", `${user}:${password}`, `${url}d0/file%200`],
        { encoding: "utf8" },
      ).stdout,
    );
  get();
  const times = [];
  const raws = [];
  for (let i = 0; i < 5; i++) {
    times.push(get());
    raws.push(decryptAlone());
  }
  const peak = Number(/VmHWM:\s+(\d+) kB/.exec(readFileSync(`/proc/${visit.pid}/status`, "utf8"))?.[1]) / 1024;
  const ended = new Promise((resolve) => visit.once("exit", resolve));
  visit.kill("SIGINT");
  await ended;
  return { dav: median(times), raw: median(raws), peak };
}

try {
  const folders = {};
  for (const [name, shape] of Object.entries(FOLDERS)) folders[name] = await measureFolder(name, shape);
  const { inOne, forEach } = await measureChanges();
  const { dav, raw, peak } = await throughDav();
  const small = folders["100 files"];
  const ms = (seconds) => (seconds * 1000).toFixed(2);
  const rows = Object.entries(folders).map(
    ([name, { open, first }]) =>
      `| ${name} | ${ms(open)} | ${(open / small.open).toFixed(1)} | ${ms(first)} | ${(first / small.first).toFixed(1)} |`,
  );
  const text = `# Benchmarks of visits

\`npm run bench:visit\`, on disk, medians; ${cpus().length} cores (${cpus()[0]?.model ?? "unknown"}), Node ${process.version}. Beginning a visit without the password's own
hashing reads the records and the top of the index; a file's first byte then reads what it needs: its
first chunk, which is the whole of a small file and 64 KiB of a large one, whatever the folder holds.

| folder | beginning a visit, ms | ÷ that of 100 files | first byte of any file, ms | ÷ that of 100 files |
|---|---|---|---|---|
${rows.join("\n")}

Changing one file of 10 kB in 1 GB of 16,000 files writes ${Math.round(inOne / 1000)} kB where all changes are made in one visit, and ${Math.round(forEach / 1000)} kB where each has a visit of its own: averages of
${CHANGES} changes, compaction and the visits' ends counted. The goal is 200 kB.

A file of ${DAV_BYTES / 2 ** 20} MiB through WebDAV, read by \`curl\`: ${Math.round(DAV_BYTES / dav / 1e6)} MB/s, ${(raw / dav).toFixed(2)} of decrypting alone in memory (${Math.round(DAV_BYTES / raw / 1e6)} MB/s). Peak memory of
the program that serves it: ${Math.round(peak)} MiB.
`;
  if (quick) process.stdout.write(text);
  else writeFileSync(join(root, "docs", "BENCHMARKS-VISIT.md"), text);
} finally {
  rmSync(base, { recursive: true, force: true });
}
