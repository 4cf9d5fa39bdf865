/**
 * Compares locking and opening with copying and with other ways to encrypt a folder, interleaved in one run on the same files, on tmpfs
 * and on disk. Prints ratios, writes docs/benchmarks.json and docs/BENCHMARKS.md. `--quick`: one round, for a look.
 */
import { execFileSync, spawnSync } from "node:child_process";
import { existsSync, mkdirSync, mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { cpus, tmpdir, totalmem } from "node:os";
import { join } from "node:path";
import { build, install, requireNode, root } from "./steps.mjs";

requireNode();
install();
await build();
const core = await import("@eremos/core");

const ROUNDS = process.argv.includes("--quick") ? 1 : 5;
const CORPORA = {
  "16,000 small files": { files: 16_000, directories: 400, size: (i) => 1024 + ((i * 7919) % 15_360) },
  "1,000 files of 1 MiB": { files: 1000, directories: 20, size: () => 1_048_576 },
  "4 files of 512 MiB": { files: 4, directories: 1, size: () => 536_870_912 },
};
const PLACES = { tmpfs: "/dev/shm", disk: tmpdir() };

function makeCorpus(directory, { files, directories, size }) {
  const noise = Buffer.alloc(1_048_576);
  for (let i = 0; i < noise.length; i++) noise[i] = (i * 2654435761) >>> 13;
  for (let d = 0; d < directories; d++) mkdirSync(join(directory, `d${d}`), { recursive: true });
  for (let i = 0; i < files; i++) {
    const parts = [];
    for (let left = size(i); left > 0; left -= noise.length) parts.push(noise.subarray(0, Math.min(left, noise.length)));
    writeFileSync(join(directory, `d${i % directories}`, `file ${i}`), Buffer.concat(parts));
  }
}

/** Wall and CPU seconds of a shell command. */
function shell(command) {
  const { stderr, status } = spawnSync("bash", ["-c", `TIMEFORMAT='%R %U %S'; time { ${command}; }`], { encoding: "utf8" });
  if (status !== 0) throw new Error(`${command}: ${stderr}`);
  const [wall, user, system] = stderr.trim().split("\n").at(-1).split(" ").map(Number);
  return { wall, cpu: user + system };
}

/** Wall and CPU seconds of work in this process. */
async function here(work) {
  const before = process.cpuUsage();
  const start = performance.now();
  await work();
  const { user, system } = process.cpuUsage(before);
  return { wall: (performance.now() - start) / 1000, cpu: (user + system) / 1e6 };
}

const silent = { progress: () => undefined, cancelled: () => false };
const { envelope, rootKey } = await core.createOwner("violin varnish at dusk", core.newRecoveryCode(), core.LEAST_COST);
const device = core.generateSigningKey();
const access = { owner: envelope, rootKey, devices: [device.publicKey] };
const signer = { by: "owner", owner: envelope, rootKey, device: device.publicKey };
const newId = () => core.toBase64(core.randomBytes(16));

async function lock(path, folder, note = null) {
  return core.lockFolder(core.disk, { path: Buffer.from(path), folder, visibility: "view", signer, note, page: null, inUseAnyway: false }, silent);
}
async function open(path) {
  return core.unlockFolder(core.disk, { path: Buffer.from(path), access, keptHeader: null, expected: null, acceptUnvouched: false, acceptOlder: false }, silent);
}

const median = (values) => values.toSorted((a, b) => a - b)[Math.floor(values.length / 2)];
const spread = (values) => (Math.max(...values) - Math.min(...values)) / median(values);

async function round(base, source, into) {
  const note = (name, { wall, cpu }) => ((into[name] ??= { wall: [], cpu: [] }), into[name].wall.push(wall), into[name].cpu.push(cpu));
  const work = join(base, "work");
  const fresh = () => {
    rmSync(work, { recursive: true, force: true });
    execFileSync("cp", ["-a", source, work]);
    execFileSync("sync", ["-f", base]);
  };
  fresh();
  note("cp -a; sync; rm", shell(`cp -a '${work}' '${work}.copy'; sync -f '${base}'; rm -rf '${work}'`));
  rmSync(`${work}.copy`, { recursive: true, force: true });
  fresh();
  note("tar | openssl; sync; rm", shell(`tar -C '${work}' -cf - . | openssl enc -aes-256-ctr -K ${"1".repeat(64)} -iv ${"2".repeat(32)} > '${work}.enc'; sync -f '${base}'; rm -rf '${work}'`));
  rmSync(`${work}.enc`, { force: true });
  fresh();
  const id = newId();
  note("lock", await here(() => lock(work, id)));
  let opened;
  note("open", await here(async () => (opened = await open(work))));
  note("walk (readdir + lstat)", await here(async () => walk(work)));
  note("lock again, unchanged", await here(() => lock(work, id, opened.note)));
  rmSync(work, { recursive: true, force: true });
}

function walk(directory) {
  const dir = core.disk.openRoot(Buffer.from(directory));
  const visit = (at) => {
    for (const name of core.disk.list(at)) {
      if (core.disk.stat(at, name).type !== "dir") continue;
      const inner = core.disk.openDir(at, name);
      visit(inner);
      core.disk.closeDir(inner);
    }
  };
  visit(dir);
  core.disk.closeDir(dir);
}

const results = [];
for (const [place, where] of Object.entries(PLACES)) {
  if (!existsSync(where)) continue;
  for (const [corpus, shape] of Object.entries(CORPORA)) {
    const base = mkdtempSync(join(where, "eremos-bench-"));
    try {
      const source = join(base, "source");
      mkdirSync(source);
      makeCorpus(source, shape);
      const bytes = Array.from({ length: shape.files }, (_, i) => shape.size(i)).reduce((a, b) => a + b, 0);
      const measured = {};
      for (let i = 0; i < ROUNDS; i++) await round(base, source, measured);
      results.push({ place, corpus, bytes, measured });
      const line = Object.entries(measured).map(([name, { wall, cpu }]) => `${name} ${median(wall).toFixed(2)} s (CPU ${median(cpu).toFixed(2)})`);
      process.stdout.write(`${place}, ${corpus}: ${line.join(", ")}\n`);
    } finally {
      rmSync(base, { recursive: true, force: true });
    }
  }
}

function ratios({ place, corpus, bytes, measured }) {
  const wall = (name) => median(measured[name].wall);
  const cpu = (name) => median(measured[name].cpu);
  return {
    place, corpus,
    lockToCopy: wall("lock") / wall("cp -a; sync; rm"),
    lockToTar: wall("lock") / wall("tar | openssl; sync; rm"),
    lockCpuToCopyCpu: cpu("lock") / cpu("cp -a; sync; rm"),
    openToLock: wall("open") / wall("lock"),
    relockToWalk: wall("lock again, unchanged") / wall("walk (readdir + lstat)"),
    lockMbPerCpuSecond: bytes / 1e6 / cpu("lock"),
    openMbPerCpuSecond: bytes / 1e6 / cpu("open"),
    noise: Math.max(...Object.values(measured).map((times) => spread(times.wall))),
  };
}

const table = results.map(ratios);
const machine = { cpu: cpus()[0]?.model ?? "unknown", cores: cpus().length, memoryGiB: Math.round(totalmem() / 2 ** 30), node: process.version, rounds: ROUNDS };
writeFileSync(join(root, "docs", "benchmarks.json"), `${JSON.stringify({ machine, results: table, seconds: results }, null, 2)}\n`);
const number = (value) => (value >= 100 ? Math.round(value).toString() : value.toFixed(2));
writeFileSync(join(root, "docs", "BENCHMARKS.md"), `# Benchmarks

Ratios of medians over ${ROUNDS} interleaved round${ROUNDS === 1 ? "" : "s"} in one run of \`npm run bench\`, on ${machine.cores} cores (${machine.cpu}), Node ${machine.node}. In process: program start
and password hashing are not included. A lock is durable, and includes removing the readable copy. The noise is the widest spread
(largest minus smallest, over the median) of any step of that line. Absolute seconds are in [benchmarks.json](benchmarks.json).

| place | files | lock ÷ \`cp -a; sync -f; rm -rf\` | lock ÷ \`tar \\| openssl enc; sync -f; rm -rf\` | lock CPU ÷ copy CPU | open ÷ lock | relock unchanged ÷ walk | lock MB per CPU second | open MB per CPU second | noise |
|---|---|---|---|---|---|---|---|---|---|
${table.map((row) => `| ${[row.place, row.corpus, ...[row.lockToCopy, row.lockToTar, row.lockCpuToCopyCpu, row.openToLock, row.relockToWalk, row.lockMbPerCpuSecond, row.openMbPerCpuSecond, row.noise].map(number)].join(" | ")} |`).join("\n")}
`);
