/** Everything that a package carries, in one directory that runs from wherever it lies. */
import { chmodSync, mkdirSync, readFileSync, readdirSync, rmSync, statSync, writeFileSync } from "node:fs";
import { join, relative } from "node:path";
import { compileProgram } from "../programs/compiled.mjs";
import { PROGRAMS } from "../programs/list.mjs";
import { fail, root } from "../steps.mjs";
import { licences } from "./licences.mjs";
import { copyProduction, productionFiles } from "./production.mjs";
import { copyRuntime, oldestLibrary, packaging, runtimeVersion } from "./runtime.mjs";

const source = join(root, "packaging");

/** @returns what it needs of the system it comes to */
export async function makeWhole(architecture, version, to) {
  rmSync(to, { recursive: true, force: true });
  mkdirSync(to, { recursive: true });
  copyProduction(await productionFiles(packaging), join(to, "program"));
  copyRuntime(architecture, to);
  for (const { program, kind } of PROGRAMS)
    compileProgram(join(to, "runtime/node"), join(to, "program", program), kind);
  writeFileSync(
    join(to, "program", "package.json"),
    `${JSON.stringify({ name: "eremos", version, type: "module", eremos: "portable" })}\n`,
  );
  writeFileSync(join(to, "eremos"), filled("start.sh", { VERSION: version }));
  chmodSync(join(to, "eremos"), 0o755);
  const runtime = join(packaging, "node_modules", architecture.runtime);
  writeFileSync(join(to, "LICENCES.txt"), licences(runtime));
  const files = filesBelow(to);
  refuseWhatSticksRefuse(to, files);
  return {
    library: oldestLibrary(files.filter((file) => /\.node$|\/runtime\/node$/.test(file))),
    node: runtimeVersion(architecture),
    files,
    bytes: files.reduce((sum, file) => sum + statSync(file).size, 0),
  };
}

function filesBelow(directory) {
  return readdirSync(directory, { withFileTypes: true }).flatMap((entry) =>
    entry.isDirectory() ? filesBelow(join(directory, entry.name)) : [join(directory, entry.name)],
  );
}

/** A stick's file system may know no links, no two names that differ only in case, and not every character. */
function refuseWhatSticksRefuse(whole, files) {
  const seen = new Map();
  for (const file of files) {
    const name = relative(whole, file);
    const folded = name.normalize("NFC").toLowerCase();
    if (!statSync(file).isFile()) fail(`${name} is no plain file: a stick may hold no links.`);
    if (readFileSync(file).includes(root)) fail(`${name} tells where it was made.`);
    if (/[<>:"\\|?*]|[. ](\/|$)/.test(name)) fail(`${name} can't be written to every stick.`);
    if (seen.has(folded)) fail(`${name} and ${seen.get(folded)} differ only in case.`);
    seen.set(folded, name);
  }
}

/** A text of this directory with `%NAME%` in it filled in. */
export function filled(name, values) {
  return readFileSync(join(source, name), "utf8").replace(/%([A-Z_]+)%/g, (whole, key) => values[key] ?? fail(whole));
}
