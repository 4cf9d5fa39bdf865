/**
 * Measures the history: what a look at 100,000 entries takes beside one at 100, as ratios in one run. Writes
 * docs/BENCHMARKS-ACTIVITY.md. `--quick`: smaller; writes nothing.
 */
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { cpus, tmpdir } from "node:os";
import { join } from "node:path";
import { median } from "./bench/measure.mjs";
import { PASSWORD, newOwner } from "./bench/owner.mjs";
import { build, install, requireNode, root } from "./steps.mjs";

requireNode();
install();
await build();
const server = await import("@eremos/server");
const quick = process.argv.includes("--quick");

const MANY = quick ? 5000 : 100_000;
const FEW = 100;
const ROUNDS = quick ? 3 : 9;
const MINUTE = 60_000;
const base = mkdtempSync(join(tmpdir(), "eremos-bench-"));

/** Some years of opening and locking ten folders, and of wrong passwords now and then. */
const FROM = /** @type {const} */ (["page", "command-line", "itself"]);

/** @returns {Parameters<import("@eremos/server").Eremos["ledger"]["recall"]>[1]} */
function history(count) {
  const now = Date.now();
  return Array.from({ length: count }, (_, nth) => {
    const at = now - (count - nth) * 20 * MINUTE;
    const folder = `${nth % 10}`.padStart(32, "0");
    const isWrong = nth % 97 === 0;
    const isOpening = nth % 2 === 0;
    return {
      at,
      day: 0,
      folder: isWrong ? "" : folder,
      kind: isWrong ? "wrong" : isOpening ? "opened" : "locked",
      signedIn: !isWrong,
      from: FROM[nth % 3],
      why: nth % 3 === 2 ? "idle" : null,
      way: isWrong || isOpening ? "password" : null,
      account: isWrong ? { uid: 1000, name: "ines" } : null,
      since: isWrong || isOpening ? null : at - 15 * MINUTE,
      count: null,
      size: isWrong || isOpening ? null : { generation: nth, files: 10 + (nth % 50), bytes: 1000 * nth },
      name: isWrong ? "" : `Folder ${nth % 10}`,
    };
  });
}

async function houseWith(count) {
  const at = join(base, String(count));
  const env = { ...process.env, EREMOS_DATA: join(at, "data"), EREMOS_PLACES: join(at, "world") };
  mkdirSync(env.EREMOS_PLACES, { recursive: true });
  const eremos = await newOwner(env);
  eremos.ledger.recall(eremos.requireKeys(), history(count));
  eremos.close();
  return env;
}

const ALL = { folder: null, groups: [], who: null, from: null, until: null, find: "" };
const page = (filter) => (eremos) => server.activityOf(eremos, { filter: { ...ALL, ...filter }, skip: 0, limit: 200 });
const LOOKS = {
  "the newest 200 entries": page({}),
  "the newest 200 of one folder": page({ folder: "3".padStart(32, "0") }),
  "wrong passwords": page({ groups: ["tries"] }),
  "a word in them": page({ find: "nobody used" }),
  "the charts of a year": (eremos) =>
    server.chartsOf(eremos, { folder: null, from: Date.now() - 365 * 24 * 60 * MINUTE, until: null }),
};

async function seconds(work) {
  const began = performance.now();
  await work();
  return (performance.now() - began) / 1000;
}

/** The first look of a session, which reads and decrypts everything, and the ones after it. */
async function measured(env) {
  /** @type {Record<string, number[]>} */
  const times = { "the first look of a session": [] };
  for (let round = 0; round < ROUNDS; round++) {
    const eremos = server.Eremos.open(server.readSettings(env, root));
    await server.signIn(eremos, PASSWORD);
    times["the first look of a session"].push(await seconds(() => page({})(eremos)));
    for (const [name, look] of Object.entries(LOOKS)) (times[name] ??= []).push(await seconds(() => look(eremos)));
    eremos.close();
  }
  return Object.fromEntries(Object.entries(times).map(([name, all]) => [name, median(all)]));
}

try {
  const [few, many] = [await measured(await houseWith(FEW)), await measured(await houseWith(MANY))];
  const rows = Object.entries(many).map(
    ([name, time]) => `| ${name} | ${time.toFixed(4)} | ${few[name].toFixed(4)} | ${(time / few[name]).toFixed(1)} |`,
  );
  const text = `# The history

Written by \`npm run bench:activity\`: seconds that a look at ${MANY.toLocaleString("en")} entries takes, beside one at ${FEW}, and their ratio, in one run on ${cpus().length} processors (${cpus()[0].model.trim()}), Node.js ${process.version}. Medians of ${ROUNDS} rounds. There are ${MANY / FEW} times as many entries.

| | ${MANY.toLocaleString("en")} | ${FEW} | ratio |
|---|---|---|---|
${rows.join("\n")}
`;
  process.stdout.write(text);
  if (!quick) writeFileSync(join(root, "docs", "BENCHMARKS-ACTIVITY.md"), text);
} finally {
  rmSync(base, { recursive: true, force: true });
}
