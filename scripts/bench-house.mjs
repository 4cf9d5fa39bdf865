/**
 * Measures the house around the engine, as ratios in one run: how long the command line takes to start, and lists many
 * folders beside few; and what the page's calls take while a large tree is planned and places are listed, beside what
 * they take alone. Writes docs/BENCHMARKS-HOUSE.md. `--quick`: smaller; writes nothing.
 */
import { spawn, spawnSync } from "node:child_process";
import { once } from "node:events";
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { request } from "node:http";
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

const CLI = join(root, "cli", "bin", "eremos.mjs");
const MANY = quick ? 50 : 500;
const FEW = 5;
const ROUNDS = quick ? 3 : 9;
const LARGE = quick ? 20_000 : 200_000;
const CALLS = quick ? 100 : 400;
const base = mkdtempSync(join(tmpdir(), "eremos-bench-"));

/** An owner with so many folders, every other one hidden. */
async function houseWith(count) {
  const at = join(base, `${count} folders`);
  const env = { ...process.env, EREMOS_DATA: join(at, "data"), EREMOS_PLACES: join(at, "world") };
  mkdirSync(env.EREMOS_PLACES, { recursive: true });
  const eremos = await newOwner(env);
  for (let i = 0; i < count; i++) {
    const path = join(env.EREMOS_PLACES, `Folder ${i}`);
    mkdirSync(path);
    writeFileSync(join(path, "letter.txt"), "Dear Jonas");
    /** @type {Parameters<typeof server.lock>[1]["protection"]} */
    const protection = { guard: "sealed", visibility: i % 2 ? "view" : "hidden", cover: null, icon: null, bars: null };
    const locking = await server.lock(eremos, { path, protection, inUseAnyway: false, from: "/" });
    await locking.outcome;
  }
  eremos.close();
  return env;
}

function seconds(args, options = {}) {
  const began = performance.now();
  const { status, stderr } = spawnSync(process.execPath, args, { encoding: "utf8", ...options });
  if (status !== 0) throw new Error(stderr);
  return (performance.now() - began) / 1000;
}

const list = (env) => seconds([CLI, "list", "--password-stdin"], { env, input: `${PASSWORD}\n` });

/** One after another, round by round. */
function compare(ways) {
  /** @type {Record<string, number[]>} */
  const times = Object.fromEntries(Object.keys(ways).map((name) => [name, []]));
  for (let round = 0; round < ROUNDS; round++) for (const [name, way] of Object.entries(ways)) times[name].push(way());
  return Object.fromEntries(Object.entries(times).map(([name, all]) => [name, median(all)]));
}

async function serve(env) {
  const child = spawn(process.execPath, [CLI, "serve"], { env, stdio: ["ignore", "ignore", "pipe"] });
  const address = await new Promise((resolve, reject) => {
    let said = "";
    child.stderr.on("data", (part) => {
      said += String(part);
      const found = /Eremos is at (http:\S+)/.exec(said);
      if (found) resolve(new URL(found[1]));
    });
    child.once("exit", () => reject(new Error(said)));
  });
  const headers = { host: address.host, origin: address.origin, "content-type": "application/x-eremos-call" };
  const call = (name, body, secret = "") =>
    new Promise((resolve, reject) => {
      const asking = request({
        host: "127.0.0.1",
        port: address.port,
        path: `/api/${name}`,
        method: "POST",
        setHost: false,
        headers,
      });
      asking.on("error", reject);
      asking.on("response", (response) => {
        let text = "";
        response.on("data", (part) => (text += String(part)));
        response.on("end", () =>
          response.statusCode === 200 ? resolve({ response, body: JSON.parse(text) }) : reject(new Error(text)),
        );
      });
      asking.end(`${JSON.stringify(body)}${secret === "" ? "" : `\0${secret}`}`);
    });
  const { response, body } = await call("sign-in", { password: { $secret: 0 } }, PASSWORD);
  headers.cookie = response.headers["set-cookie"][0].split(";")[0];
  headers["x-eremos-tab"] = body.tab;
  return {
    call,
    port: address.port,
    headers,
    stop: () => {
      child.kill();
      return new Promise((resolve) => child.once("exit", resolve));
    },
  };
}

const nineties = (times) => [...times].sort((a, b) => a - b)[Math.floor(times.length * 0.99)];

async function pageCalls(call) {
  const times = [];
  for (let i = 0; i < CALLS; i++) {
    const began = performance.now();
    await call(["state", "jobs", "preferences"][i % 3], {});
    times.push((performance.now() - began) / 1000);
    await new Promise((resolve) => setTimeout(resolve, 5));
  }
  return nineties(times);
}

async function beside(env) {
  const large = join(env.EREMOS_PLACES, "Large");
  for (let i = 0; i < LARGE; i++) {
    const directory = join(large, `d${Math.floor(i / 500)}`);
    if (i % 500 === 0) mkdirSync(directory, { recursive: true });
    writeFileSync(join(directory, `file ${i}`), "");
  }
  const { call, stop, port, headers } = await serve(env);
  await pageCalls(call);
  const idle = await pageCalls(call);
  const load = spawn(
    process.execPath,
    [join(root, "scripts", "bench", "load.mjs"), JSON.stringify({ port, headers, large })],
    { stdio: ["ignore", "pipe", "inherit"] },
  );
  let planned = 0;
  load.stdout.on("data", (part) => (planned = Number(part)));
  const ended = once(load, "exit");
  const busy = await pageCalls(call);
  load.kill("SIGTERM");
  const [code] = await ended;
  if (code !== 0) throw new Error("The load ended by itself.");
  await stop();
  return { idle, busy, planned };
}

try {
  const [few, many] = [await houseWith(FEW), await houseWith(MANY)];
  const times = compare({
    node: () => seconds(["-e", ""]),
    help: () => seconds([CLI, "help"]),
    few: () => list(few),
    many: () => list(many),
  });
  const { idle, busy, planned } = await beside(few);
  const ratio = (a, b) => (a / b).toFixed(1);
  const rows = [
    ["`eremos help` beside plain `node`", times.help, times.node],
    [`\`eremos list\` of ${FEW} folders beside plain \`node\``, times.few, times.node],
    [`\`eremos list\` of ${MANY} folders beside ${FEW}`, times.many, times.few],
    [
      `99th percentile of the page's calls while ${LARGE.toLocaleString("en")} files are planned and ten places listed (${planned} times), beside alone`,
      busy,
      idle,
    ],
  ].map(([what, one, other]) => `| ${what} | ${one.toFixed(3)} | ${other.toFixed(3)} | ${ratio(one, other)} |`);
  const text = `# The house

Written by \`npm run bench:house\`: seconds, and their ratio, in one run on ${cpus().length} processors (${cpus()[0].model.trim()}), Node.js ${process.version}. Medians of ${ROUNDS} rounds, but for the last row.

| | seconds | beside | ratio |
|---|---|---|---|
${rows.join("\n")}
`;
  process.stdout.write(text);
  const file = join(root, "docs", "BENCHMARKS-HOUSE.md");
  if (!quick) writeFileSync(file, text);
} finally {
  rmSync(base, { recursive: true, force: true });
}
