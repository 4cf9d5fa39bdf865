/**
 * A house that a newcomer can look over: no more sources than this in one directory, each room of the engine with a door
 * that says what it is for, no guard asked for by its name but where guards are, no look for a folder but by those who
 * know whether its disk answers, one meaning for each name that a storey gives out, and nothing given out for nobody.
 */
import { spawnSync } from "node:child_process";
import { readFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { root } from "./steps.mjs";

const MOST_SOURCES = 24;
const NOTE = /^\/\*\*\n \* .+\n \* .+\n \*\/\n/;

const sources = spawnSync("git", ["ls-files", "--cached", "--others", "--exclude-standard", "*.ts", "*.tsx", "*.mjs"], {
  cwd: root,
  encoding: "utf8",
}).stdout.split("\n");
const counts = new Map();
for (const file of sources) if (file) counts.set(dirname(file), (counts.get(dirname(file)) ?? 0) + 1);

const wrong = [...counts]
  .filter(([, count]) => count > MOST_SOURCES)
  .map(([directory, count]) => `${directory} has ${count} sources; ${MOST_SOURCES} are enough for one directory`);
const rooms = [...counts.keys()].filter((directory) => /^core\/src\/(engine\/[^/]+|insurance)$/.test(directory));
for (const room of rooms) {
  const door = sources.includes(`${room}/index.ts`) ? readFileSync(join(root, room, "index.ts"), "utf8") : "";
  if (!NOTE.test(door)) wrong.push(`${room} has no door (index.ts) that begins with a note of two lines`);
}
if (sources.some((file) => /^core\/src\/engine\/[^/]+$/.test(file)))
  wrong.push("core/src/engine has files that are in no room");
const GUARD_NAME = /(===|!==|case) "(barred|sight)"|\bguard\)? (===|!==) "/;
for (const file of sources)
  if (
    /^(core|server|cli|web)\/.+\.tsx?$/.test(file) &&
    !/\/test\/|^core\/src\/(engine\/guards|format\/guards)/.test(file)
  )
    readFileSync(join(root, file), "utf8")
      .split("\n")
      .forEach((line, i) => {
        if (GUARD_NAME.test(line))
          wrong.push(`${file}:${i + 1} asks for a guard by its name; ask what it does (format/guards.ts)`);
      });
const LEDGER = /\bregistry\.(put|record|remove|dropHeader|keepSlot)\(|\bdata\.(writeNote|removeNote)\(/;
for (const file of sources.filter((one) => /^server\/src\/.+\.ts$/.test(one) && one !== "server/src/ledger/ledger.ts"))
  if (LEDGER.test(readFileSync(join(root, file), "utf8")))
    wrong.push(`${file} writes what is said of a folder by itself; the ledger does (server/src/ledger/ledger.ts)`);
const LOOKS = /\b(locateFolder|locateAnywhere|lookAtFolder)\(/;
for (const file of sources.filter((one) => /^server\/src\/.+\.ts$/.test(one) && !one.startsWith("server/src/look/")))
  if (LOOKS.test(readFileSync(join(root, file), "utf8")))
    wrong.push(`${file} looks for a folder by itself, whether its disk answers or not (server/src/look/where-is.ts)`);

const EXPORTED = /^export (?:async )?(?:abstract )?(?:function|class|interface|type|const) (\w+)/gm;
for (const storey of ["core/src/", "server/src/"]) {
  const places = new Map();
  for (const file of sources.filter((one) => one.startsWith(storey)))
    for (const [, name] of readFileSync(join(root, file), "utf8").matchAll(EXPORTED))
      places.set(name, [...(places.get(name) ?? []), file]);
  for (const [name, files] of places)
    if (new Set(files).size > 1) wrong.push(`${name} means something else in each of ${files.join(", ")}`);
}

/** What a storey gives out somebody above it takes: a wide door tells nobody what it is for. */
const DOORS = { "core/src/index.ts": /^core\//, "server/src/index.ts": /^server\// };
for (const [door, own] of Object.entries(DOORS)) {
  const taken = new Set();
  for (const file of sources.filter((one) =>
    /^(server|cli|web|rescue|demo|e2e|scripts|stand-ins|packaging)\//.test(one),
  ))
    if (!own.test(file)) for (const [word] of readFileSync(join(root, file), "utf8").matchAll(/\w+/g)) taken.add(word);
  for (const [, names] of readFileSync(join(root, door), "utf8").matchAll(/^export (?:type )?\{([^}]*)\}/gm))
    for (const given of names.split(",").map((one) => one.trim().replace(/^type /, "")))
      if (given !== "" && !taken.has(given.split(" as ").at(-1)))
        wrong.push(`${door} gives out ${given}, which nobody takes`);
}
for (const line of wrong) process.stderr.write(`${line}\n`);
process.exitCode = wrong.length > 0 ? 1 : 0;
