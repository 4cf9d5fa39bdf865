/**
 * Makes one file to install and one to unpack anywhere, below packages/. Offline once `packaging/node_modules` is
 * there. `--version V` gives them another version than package.json's: for trying an upgrade.
 */
import { spawnSync } from "node:child_process";
import { mkdirSync, readFileSync, rmSync, statSync } from "node:fs";
import { join } from "node:path";
import { parseArgs } from "node:util";
import { makeDeb } from "./deb.mjs";
import { ARCHITECTURES, installPackaging } from "./runtime.mjs";
import { makeTarball } from "./tarball.mjs";
import { makeWhole } from "./whole.mjs";
import { build, fail, install, installPackageTools, requireNode, root } from "../steps.mjs";

const { values } = parseArgs({
  options: {
    version: { type: "string" },
    "only-deb": { type: "boolean", default: false },
    // Packed in no time, and larger.
    quick: { type: "boolean", default: false },
  },
});
const version = values.version ?? JSON.parse(readFileSync(join(root, "package.json"), "utf8")).version;
if (!/^\d+\.\d+\.\d+$/.test(version)) fail(`${version} is no version: three numbers with points between them.`);
const mebibytes = (bytes) => `${(bytes / 2 ** 20).toFixed(1)} MiB`;

requireNode();
install();
installPackageTools();
installPackaging();
await build();

const packages = join(root, "packages");
mkdirSync(packages, { recursive: true });
const [name] = Object.keys(ARCHITECTURES);
const whole = join(packages, `eremos-${version}`);
const { library, node, files, bytes } = await makeWhole(ARCHITECTURES[name], version, whole);
process.stdout.write(
  `Eremos ${version} for ${name}: ${files.length.toLocaleString("en")} files, ${mebibytes(bytes)}; ` +
    `Node.js ${node}; needs a C library (glibc) of ${library} or newer.\n`,
);
const { stdout: help } = spawnSync(process.execPath, [join(root, "cli/bin/eremos.mjs"), "help"], { encoding: "utf8" });
const made = [await makeDeb({ whole, version, name, library, bytes, packages, help, quick: values.quick })];
if (!values["only-deb"]) made.push(makeTarball({ whole, version, name, library, node, packages }));
rmSync(whole, { recursive: true });
for (const file of made) process.stdout.write(`${file} (${mebibytes(statSync(file).size)})\n`);
