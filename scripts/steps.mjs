/** The steps that the npm scripts share. Plain Node, so that they run before anything is installed. */
import { spawnSync } from "node:child_process";
import { createHash } from "node:crypto";
import { existsSync, readFileSync, readdirSync, statSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { fileURLToPath } from "node:url";

export const root = fileURLToPath(new URL("..", import.meta.url)).replace(/\/$/, "");
const LEAST_NODE = [20, 9];

export function fail(sentence) {
  process.stderr.write(`${sentence}\n`);
  process.exit(1);
}

export function requireNode() {
  const [major, minor] = process.versions.node.split(".").map(Number);
  if (major < LEAST_NODE[0] || (major === LEAST_NODE[0] && minor < LEAST_NODE[1])) {
    fail(
      `Eremos needs Node.js ${LEAST_NODE.join(".")} or newer; this is ${process.versions.node}. Install a newer one and run this again.`,
    );
  }
}

/** Runs a program to its end; the first failure ends everything. */
export function run(program, args, options = {}) {
  const { status, error } = spawnSync(program, args, { cwd: root, stdio: "inherit", ...options });
  if (error) fail(`${program} could not be started (${error.message}).`);
  if (status !== 0) fail(`${program} ${args.slice(0, 2).join(" ")} ended with ${status}.`);
}

/**
 * Programs from Debian's packages: how to see whether one is there, and what brings it. The database driver is compiled
 * at installation.
 */
const BUILD_PROGRAMS = [
  { there: ["make", ["--version"]], packages: ["make"] },
  { there: ["g++", ["--version"]], packages: ["g++"] },
  { there: ["python3", ["--version"]], packages: ["python3"] },
];
const TEST_PROGRAMS = [
  { there: ["chromium-headless-shell", ["--version"]], packages: ["chromium-headless-shell", "fonts-liberation"] },
  { there: ["strace", ["-V"]], packages: ["strace"] },
  { there: ["strings", ["--version"]], packages: ["binutils"] },
  { there: ["dbus-daemon", ["--version"]], packages: ["dbus-daemon"] },
  {
    there: ["sh", ["-c", "test -f /usr/share/gvfs/mounts/dav.mount && command -v gio"]],
    packages: ["gvfs-backends", "libglib2.0-bin"],
  },
  {
    there: ["sh", ["-c", "command -v update-desktop-database && command -v update-mime-database"]],
    packages: ["desktop-file-utils", "shared-mime-info"],
  },
  {
    there: ["sh", ["-c", "command -v Xvfb && command -v xdotool && command -v thunar"]],
    packages: ["xvfb", "xdotool", "thunar"],
  },
  { there: ["vim.tiny", ["--version"]], packages: ["vim-tiny"] },
  { there: ["pdftoppm", ["-v"]], packages: ["poppler-utils"] },
  { there: ["zbarimg", ["--version"]], packages: ["zbar-tools"] },
  { there: ["sh", ["-c", "command -v litmus"]], packages: ["litmus"] },
  { there: ["bsdtar", ["--version"]], packages: ["libarchive-tools"] },
  { there: ["rclone", ["version"]], packages: ["rclone"] },
  { there: ["mount.davfs", ["--version"]], packages: ["davfs2"] },
  {
    there: ["sh", ["-c", "command -v zsh && command -v fish && command -v nano && command -v script"]],
    packages: ["zsh", "fish", "nano", "bsdutils"],
  },
  { there: ["sh", ["-c", "ls /usr/lib/*/tumbler-1/tumblerd"]], packages: ["tumbler"] },
  {
    there: ["/usr/bin/python3", ["-c", "import gi; gi.require_version('Gtk', '3.0')"]],
    packages: ["python3-gi", "gir1.2-gtk-3.0"],
  },
  {
    there: ["/usr/bin/python3", ["-c", "import gi; gi.require_version('Nautilus', '4.0')"]],
    packages: ["python3-gi", "gir1.2-nautilus-4.0"],
  },
  { there: ["systemd-socket-activate", ["--version"]], packages: ["systemd"] },
  { there: ["setfacl", ["--version"]], packages: ["acl"] },
  { there: ["setfattr", ["--version"]], packages: ["attr"] },
  { there: ["mkfs.ext4", ["-V"]], packages: ["e2fsprogs"] },
  { there: ["sh", ["-c", "command -v mkfs.exfat"]], packages: ["exfatprogs"] },
  { there: ["mount.exfat-fuse", ["-V"]], packages: ["exfat-fuse"] },
  { there: ["ntfs-3g", ["--version"]], packages: ["ntfs-3g"] },
  { there: ["sh", ["-c", "command -v mkfs.xfs && command -v mkfs.btrfs"]], packages: ["xfsprogs", "btrfs-progs"] },
  {
    there: ["/usr/bin/python3", ["-c", "import argon2, cryptography"]],
    packages: ["python3", "python3-argon2", "python3-cryptography"],
  },
];

const BENCH_PROGRAMS = [
  { there: ["bsdtar", ["--version"]], packages: ["libarchive-tools"] },
  { there: ["openssl", ["version"]], packages: ["openssl"] },
];

function installPrograms(programs, why) {
  const missing = programs
    .filter(({ there: [program, args] }) => spawnSync(program, args).status !== 0)
    .flatMap(({ packages }) => packages);
  if (missing.length === 0) return;
  process.stdout.write(`Installing what ${why}: ${missing.join(", ")}…\n`);
  const [program, ...before] = process.getuid?.() === 0 ? ["apt-get"] : ["sudo", "apt-get"];
  const apt = (...args) =>
    run(program, [...before, ...args], {
      env: { ...process.env, DEBIAN_FRONTEND: "noninteractive" },
      stdio: ["ignore", "ignore", "inherit"],
    });
  apt("update");
  apt("install", "-y", "--no-install-recommends", ...missing);
}

export function install() {
  const installed = join(root, "node_modules", ".package-lock.json");
  const lock = join(root, "package-lock.json");
  if (existsSync(installed) && statSync(installed).mtimeMs >= statSync(lock).mtimeMs - 1000) return;
  installPrograms(BUILD_PROGRAMS, "the installation needs");
  process.stdout.write("Installing what Eremos needs (a few minutes the first time)…\n");
  run("npm", ["ci", "--include=dev", "--no-fund", "--no-audit"]);
}

export function installTestPrograms() {
  installPrograms(TEST_PROGRAMS, "the tests need");
}

/** What a package is made with. */
const PACKAGE_TOOLS = [
  { there: ["dpkg-deb", ["--version"]], packages: ["dpkg"] },
  { there: ["strip", ["--version"]], packages: ["binutils"] },
  { there: ["xz", ["--version"]], packages: ["xz-utils"] },
];

export function installPackageTools() {
  installPrograms(PACKAGE_TOOLS, "a package is made with");
}

/** What a package is tried with. */
const PACKAGE_TEST_PROGRAMS = [
  { there: ["mmdebstrap", ["--version"]], packages: ["mmdebstrap"] },
  { there: ["man", ["--version"]], packages: ["man-db", "groff"] },
  { there: ["appstreamcli", ["--version"]], packages: ["appstream"] },
];

export function installPackageTestPrograms() {
  installPrograms(PACKAGE_TEST_PROGRAMS, "the package is tried with");
}

export function installBenchPrograms() {
  installPrograms(BENCH_PROGRAMS, "the benchmark compares with");
}

const BUNDLED = [
  "words/src",
  "core/src",
  "server/src",
  "cli/src",
  "demo/src",
  "rescue/src",
  "scripts/bundle.mjs",
  "scripts/messages-in.mjs",
  "scripts/programs",
  "package-lock.json",
];
const SKIPPED = new Set(["node_modules", ".next", "dist", "next-env.d.ts", "tsconfig.tsbuildinfo"]);

function fingerprint(sources) {
  const hash = createHash("sha256");
  const visit = (path) => {
    if (SKIPPED.has(path.split("/").at(-1))) return;
    const full = join(root, path);
    if (statSync(full).isDirectory()) for (const name of readdirSync(full).sort()) visit(`${path}/${name}`);
    else hash.update(path).update(readFileSync(full));
  };
  for (const source of sources) visit(source);
  return hash.digest("hex");
}

/** Makes something of these sources, unless what was made last is of the same. */
async function unlessMade(name, sources, isThere, make) {
  const stamp = join(root, name);
  const now = fingerprint(sources);
  if (existsSync(stamp) && readFileSync(stamp, "utf8") === now && isThere()) return;
  await make();
  writeFileSync(stamp, now);
}

/** Core, server, command line, demo and readers, as processes and workers run them. */
export function buildBundles() {
  return unlessMade(
    ".bundle-stamp",
    BUNDLED,
    () => ["core", "server", "cli", "demo", "rescue"].every((storey) => existsSync(join(root, storey, "dist"))),
    async () => (await import("./bundle.mjs")).bundle(),
  );
}

/** Builds unless what is built is what is here. */
export async function build() {
  await buildBundles();
  await unlessMade(
    ".build-stamp",
    [...BUNDLED, "web"],
    () => existsSync(join(root, "web/.next/BUILD_ID")),
    () => {
      process.stdout.write("Building Eremos…\n");
      run("npx", ["next", "build", "web"], {
        env: { ...process.env, NEXT_TELEMETRY_DISABLED: "1", NODE_ENV: "production" },
        stdio: ["ignore", "ignore", "inherit"],
      });
    },
  );
}

/** Runs the server from this process until a signal ends both; `ready` is told the address. */
export async function serveHere(ready, development = false) {
  const { EremosError } = await import("@eremos/core");
  const { readSettings, serve } = await import("@eremos/server");
  try {
    await serve(readSettings(process.env, root), ready, development);
  } catch (error) {
    if (error instanceof EremosError) fail(error.message);
    throw error;
  }
  process.exit(0);
}
