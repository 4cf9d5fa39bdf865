/** Wall and CPU seconds, of commands and of work in this process. */
import { spawnSync } from "node:child_process";
import { closeSync, lstatSync, openSync, readSync, readdirSync, writeSync } from "node:fs";
import { join } from "node:path";

export function shell(command) {
  const { stderr, status } = spawnSync("bash", ["-c", `TIMEFORMAT='%R %U %S'; time { ${command}; }`], {
    encoding: "utf8",
  });
  if (status !== 0) throw new Error(`${command}: ${stderr}`);
  const [wall, user, system] = (stderr.trim().split("\n").at(-1) ?? "").split(" ").map(Number);
  return { wall, cpu: user + system };
}

function now() {
  const { user, system } = process.cpuUsage();
  return { wall: performance.now() / 1000, cpu: (user + system) / 1e6 };
}

const minus = (a, b) => ({ wall: a.wall - b.wall, cpu: a.cpu - b.cpu });
const plus = (a, b) => ({ wall: a.wall + b.wall, cpu: a.cpu + b.cpu });

export async function here(work) {
  const start = now();
  await work();
  return minus(now(), start);
}

/** As {@link here}, told what the work is at; the time spent removing the readable copy stands apart. */
export async function inPhases(work) {
  const start = now();
  /** @type {ReturnType<typeof now> | null} */
  let removing = null;
  let removal = { wall: 0, cpu: 0 };
  await work({
    cancelled: () => false,
    progress: ({ phase }) => {
      if (phase === "removing") removing ??= now();
    },
  });
  const whole = minus(now(), start);
  if (removing) removal = minus(plus(start, whole), removing);
  return { whole, removal, without: minus(whole, removal) };
}

export const median = (values) => values.toSorted((a, b) => a - b)[Math.floor(values.length / 2)];
/** Largest minus smallest, over the median. */
export const spread = (values) => (Math.max(...values) - Math.min(...values)) / median(values);

/** A synchronous readdir + lstat walk. */
export function walk(directory) {
  for (const name of readdirSync(directory)) {
    const path = join(directory, name);
    if (lstatSync(path).isDirectory()) walk(path);
  }
}

const CHUNK = 64 * 1024;

/** What reading every file, AES-256-GCM over it in 64 KiB, and writing the result into one file cost by themselves. */
export function readSealWrite(directory, target, cipher) {
  const plain = Buffer.allocUnsafeSlow(CHUNK);
  const out = Buffer.allocUnsafeSlow(16 * (CHUNK + 16));
  const nonce = Buffer.alloc(12);
  const to = openSync(target, "w");
  let used = 0;
  const visit = (at) => {
    for (const entry of readdirSync(at, { withFileTypes: true })) {
      const path = join(at, entry.name);
      if (entry.isDirectory()) {
        visit(path);
        continue;
      }
      const from = openSync(path, "r");
      for (let count; (count = readSync(from, plain, 0, CHUNK, null)) > 0;) {
        nonce.writeUInt32LE((nonce.readUInt32LE(0) + 1) >>> 0, 0);
        cipher.seal(nonce, plain.subarray(0, count), out.subarray(used, used + count + 16));
        used += count + 16;
        if (used + CHUNK + 16 > out.length) {
          writeSync(to, out, 0, used);
          used = 0;
        }
      }
      closeSync(from);
    }
  };
  visit(directory);
  writeSync(to, out, 0, used);
  closeSync(to);
}
