/**
 * Compares locking and opening with copying and with other ways to encrypt a folder, interleaved in one run on the same
 * files, on tmpfs and on disk. Writes docs/benchmarks.json and the tables of docs/BENCHMARKS.md. `--quick`: one round,
 * for a look; writes nothing. `--place=disk`, `--corpus=…`: only that; what the file holds of others stays.
 */
import { execFileSync, spawnSync } from "node:child_process";
import {
  appendFileSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readFileSync,
  rmSync,
  truncateSync,
  writeFileSync,
} from "node:fs";
import { cpus, tmpdir, totalmem } from "node:os";
import { join } from "node:path";
import { CORPORA, bytesOf, makeCorpus } from "./bench/corpora.mjs";
import { firstBytes, house, lock, open, release } from "./bench/house.mjs";
import { here, inPhases, median, readSealWrite, shell, walk } from "./bench/measure.mjs";
import { report } from "./bench/report.mjs";
import { build, install, installBenchPrograms, requireNode, root } from "./steps.mjs";

requireNode();
install();
installBenchPrograms();
await build();
const core = await import("@eremos/core");

const quick = process.argv.includes("--quick");
const ROUNDS = quick ? 1 : 5;
const PLACES = { tmpfs: "/dev/shm", disk: tmpdir() };
const only = (flag, names) =>
  names.filter(
    (name) => !process.argv.some((word) => word.startsWith(`${flag}=`)) || process.argv.includes(`${flag}=${name}`),
  );

const { envelope, rootKey } = await core.createOwner("violin varnish at dusk", core.newRecoveryCode(), core.LEAST_COST);
const known = house(core, envelope, rootKey, core.generateSigningKey().publicKey);
const newId = () => core.newId();

/** One after the other on the same folder, which is at the end what it was at the beginning. */
async function round(base, folder, shape, into) {
  const note = (name, { wall, cpu }) => {
    into[name] ??= { wall: [], cpu: [] };
    into[name].wall.push(wall);
    into[name].cpu.push(cpu);
  };
  const settle = () => execFileSync("sync");
  const beside = join(base, "beside");
  const clear = () => rmSync(beside, { recursive: true, force: true });

  settle();
  note("cp -a", shell(`cp -a '${folder}' '${beside}'`));
  note("sync -f after cp", shell(`sync -f '${base}'`));
  note("rm -rf", shell(`rm -rf '${beside}'`));
  settle();
  const cipher = core.chunkCipher(Buffer.alloc(32, 7));
  note("read, encrypt, write", await here(async () => readSealWrite(folder, beside, cipher)));
  cipher.wipe();
  clear();
  settle();
  note(
    "tar | openssl",
    shell(
      `tar -C '${folder}' -cf - . | openssl enc -aes-256-ctr -K ${"1".repeat(64)} -iv ${"2".repeat(32)} > '${beside}'; sync -f '${base}'`,
    ),
  );
  clear();
  if (shape.zip) {
    settle();
    note(
      "AES ZIP",
      shell(
        `cd '${folder}' && bsdtar --options zip:encryption=aes256 --passphrase 'violin varnish at dusk' -a -cf '${beside}.zip' . && sync -f '${base}'`,
      ),
    );
    rmSync(`${beside}.zip`);
  }

  settle();
  const id = newId();
  const first = await inPhases((hooks) => lock(known, folder, id, null, hooks));
  note("lock", first.whole);
  note("lock, without removal", first.without);
  const { opened, times } = await firstBytes(known, folder, shape, 300);
  note("open for reading", { wall: opened, cpu: 0 });
  note("first byte, median", { wall: median(times), cpu: 0 });
  note("first byte, 95 %", { wall: times.toSorted((a, b) => a - b)[Math.floor(times.length * 0.95)], cpu: 0 });
  settle();
  let outcome;
  note("open", await here(async () => (outcome = await open(known, folder))));
  settle();
  note("walk", await here(async () => walk(folder)));
  const again = await inPhases((hooks) => lock(known, folder, id, outcome.note, hooks));
  note("lock again, unchanged", again.whole);
  note("lock again, unchanged, without removal", again.without);
  outcome = await open(known, folder);
  appendFileSync(join(folder, "d0", "file 0"), "!");
  settle();
  const changed = await inPhases((hooks) => lock(known, folder, id, outcome.note, hooks));
  note("lock again, one file changed, without removal", changed.without);
  await release(known, folder);
  truncateSync(join(folder, "d0", "file 0"), shape.size(0));
}

/** Memory of a process of its own, KiB: idle, locking, opening. */
function memory(base, folder) {
  const kept = join(base, "owner.json");
  writeFileSync(
    kept,
    JSON.stringify({
      owner: envelope,
      rootKey: rootKey.toString("base64"),
      device: Buffer.from(known.device).toString("base64"),
      folder: newId(),
    }),
  );
  const most = (verb) =>
    Number(
      spawnSync("node", [join(root, "scripts/bench/memory.mjs"), verb, folder, kept], { encoding: "utf8", cwd: root })
        .stdout,
    );
  return { idle: most("idle"), lock: most("lock"), open: most("open") };
}

function startUp() {
  const of = (...args) => median(Array.from({ length: ROUNDS }, () => shell(args.join(" ")).wall));
  return { node: of("node", "-e", "0"), eremos: of("node", join(root, "cli/bin/eremos.mjs"), "help", ">/dev/null") };
}

const results = [];
for (const place of only("--place", Object.keys(PLACES))) {
  if (!existsSync(PLACES[place])) continue;
  for (const corpus of only("--corpus", Object.keys(CORPORA))) {
    const shape = CORPORA[corpus];
    const base = mkdtempSync(join(PLACES[place], "eremos-bench-"));
    try {
      const folder = join(base, "folder");
      mkdirSync(folder);
      makeCorpus(folder, shape);
      const measured = {};
      for (let i = 0; i < ROUNDS; i++) await round(base, folder, shape, measured);
      results.push({
        place,
        corpus,
        files: shape.files,
        bytes: bytesOf(shape),
        measured,
        memory: memory(base, folder),
      });
      process.stdout.write(
        `${place}, ${corpus}: ${Object.entries(measured)
          .map(
            ([name, { wall, cpu }]) => `${name} ${median(wall).toPrecision(3)} s (CPU ${median(cpu).toPrecision(3)})`,
          )
          .join(", ")}, memory ${JSON.stringify(results.at(-1).memory)}\n`,
      );
    } finally {
      rmSync(base, { recursive: true, force: true });
    }
  }
}
const machine = {
  cpu: cpus()[0]?.model ?? "unknown",
  cores: cpus().length,
  memoryGiB: Math.round(totalmem() / 2 ** 30),
  node: process.version,
  rounds: ROUNDS,
};
const json = join(root, "docs", "benchmarks.json");
const isSame = (a) => (b) => a.place === b.place && a.corpus === b.corpus;
const earlier = existsSync(json)
  ? JSON.parse(readFileSync(json, "utf8")).seconds.filter((result) => !results.some(isSame(result)))
  : [];
const order = ({ place, corpus }) => Object.keys(PLACES).indexOf(place) * 10 + Object.keys(CORPORA).indexOf(corpus);
const written = report({
  machine,
  startUp: startUp(),
  results: [...earlier, ...results].sort((a, b) => order(a) - order(b)),
});
if (quick) process.stdout.write(`\n${written.tables}\n`);
else {
  writeFileSync(json, written.json);
  written.intoDocument(join(root, "docs", "BENCHMARKS.md"));
}
