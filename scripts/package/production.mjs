/** What production needs of the house and of its packages: found by following every import, and nothing besides. */
import { cpSync, existsSync, mkdirSync, readFileSync, readdirSync, statSync, writeFileSync } from "node:fs";
import { createRequire } from "node:module";
import { dirname, join, relative } from "node:path";
import { PROGRAMS, codeOf, compiledOf } from "../programs/list.mjs";
import { root } from "../steps.mjs";

/** Where processes and threads begin. */
const ENTRIES = ["cli/dist/eremos.js", ...PROGRAMS.map(({ program }) => codeOf(program))];
/** By which the server makes the pages: of its own files it needs those that it lists itself, and where it begins. */
const PAGES_ENTRY = "node_modules/next/dist/server/next.js";
const PAGES_LIST = "web/.next/next-server.js.nft.json";

/** What is read, not imported. */
const READ = [
  "cli/bin",
  ...PROGRAMS.flatMap(({ program }) => [program, compiledOf(program)]),
  "rescue/dist",
  "server/dist/package.html",
  "server/migrations",
  "web/next.config.mjs",
  "web/public",
  "LICENSE",
  "node_modules/@digitaldefiance/reed-solomon-erasure.wasm",
  "node_modules/dejavu-fonts-ttf/ttf/DejaVuSans-Bold.ttf",
  "node_modules/dejavu-fonts-ttf/package.json",
];
/** Of the built pages, what is served; the rest is the builder's own. */
const BUILT = "web/.next";
const NOT_SERVED = /^(cache|diagnostics|trace|trace-build|turbopack|types|build|dev)(\/|$)|\.nft\.json$|\.map$/;

/**
 * Never needed: pictures are not made anew by the server, programs are not compiled, and nothing is fetched. What is
 * left out here and asked for nevertheless would fail in the test of the package.
 */
const NEVER = [
  /(^|\/)node_modules\/(@img|sharp|typescript|esbuild|@swc\/(?!helpers)|caniuse-lite|node-gyp)(\/|$)/,
  /(^|\/)node_modules\/better-sqlite3\/(deps|src|build)\//,
  /\/next\/dist\/compiled\/(webpack|babel|terser|amphtml|next-devtools|@vercel\/(nft|og)|react-refresh)/,
  /\/next\/dist\/compiled\/next-server\/.*(\.dev\.js|-experimental\.)/,
  /\.(map|md|d\.ts|d\.mts|d\.cts)$/i,
];
const isNever = (file) => NEVER.some((pattern) => pattern.test(file));

/** @returns the files, as paths below the repository's root, sorted */
export async function productionFiles(packaging) {
  const load = createRequire(join(packaging, "package.json"));
  const { nodeFileTrace } = load("@vercel/nft");
  const house = await nodeFileTrace(
    ENTRIES.map((entry) => join(root, entry)),
    { base: root, ignore: (file) => isNever(file) || file.startsWith("node_modules/next/") },
  );
  const pages = await nodeFileTrace([join(root, PAGES_ENTRY)], { base: root, ignore: (file) => isNever(file) });
  const listed = JSON.parse(readFileSync(join(root, PAGES_LIST), "utf8")).files.map((file) =>
    relative(root, join(root, dirname(PAGES_LIST), file)),
  );
  const perPage = filesBelow(join(root, BUILT, "server"))
    .filter((file) => file.endsWith(".nft.json"))
    .flatMap((list) =>
      JSON.parse(readFileSync(list, "utf8")).files.map((file) => relative(root, join(dirname(list), file))),
    );
  const found = new Set(
    [...house.fileList, ...pages.fileList, ...listed, ...perPage].filter(
      (file) => !isNever(file) && !file.startsWith("..") && isFile(join(root, file)),
    ),
  );
  for (const read of READ)
    for (const file of filesBelow(join(root, read))) if (!isNever(file)) found.add(relative(root, file));
  for (const file of filesBelow(join(root, BUILT)))
    if (!NOT_SERVED.test(relative(join(root, BUILT), file))) found.add(relative(root, file));
  for (const file of fontsOfSheets()) found.add(file);
  return [...found].sort();
}

/** Where the builder writes down where it was; of no use elsewhere. */
const HOLDS_PATHS = /^web\/\.next\/required-server-files\.(js|json)$/;

/** The sheets print these weights. */
function fontsOfSheets() {
  const directory = "node_modules/@fontsource/hanken-grotesk";
  return [
    `${directory}/package.json`,
    ...readdirSync(join(root, directory, "files"))
      .filter((name) => /^hanken-grotesk-latin-\d+-normal\.woff$/.test(name))
      .map((name) => `${directory}/files/${name}`),
  ];
}

function isFile(file) {
  return statSync(file, { throwIfNoEntry: false })?.isFile() ?? false;
}

function filesBelow(path) {
  if (!existsSync(path)) return [];
  if (isFile(path)) return [path];
  return readdirSync(path, { withFileTypes: true }).flatMap((entry) => filesBelow(join(path, entry.name)));
}

/**
 * Copies them below `to`, as they lie here; the house's own packages are links here: one becomes a small file that leads
 * to what it links to, since a stick may hold no links.
 */
export function copyProduction(files, to) {
  for (const file of files) {
    if (/^node_modules\/@eremos\//.test(file)) continue;
    mkdirSync(dirname(join(to, file)), { recursive: true });
    const text = HOLDS_PATHS.test(file) ? readFileSync(join(root, file), "utf8") : null;
    if (text === null) cpSync(join(root, file), join(to, file), { dereference: true });
    else writeFileSync(join(to, file), text.replaceAll(root, "."));
  }
  const core = join(to, "node_modules/@eremos/core");
  const { name, version } = JSON.parse(readFileSync(join(root, "core/package.json"), "utf8"));
  mkdirSync(core, { recursive: true });
  writeFileSync(
    join(core, "package.json"),
    `${JSON.stringify({ name, version, exports: { "./worker": "./worker.cjs" } })}\n`,
  );
  writeFileSync(join(core, "worker.cjs"), 'require("../../../core/dist/engine-worker.cjs");\n');
  for (const storey of ["cli", "server", "core", "rescue", "web"])
    writeFileSync(
      join(to, storey, "package.json"),
      `${JSON.stringify({ name: `@eremos/${storey}`, type: "module" })}\n`,
    );
}
