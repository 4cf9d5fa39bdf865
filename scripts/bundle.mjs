/** Bundles core, server, command line and demo for Node; of the packages, those that are hundreds of small files. */
import { createHash } from "node:crypto";
import { copyFileSync, mkdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { createRequire, isBuiltin } from "node:module";
import { dirname, join, relative } from "node:path";
import { fileURLToPath } from "node:url";
import { deflateRawSync } from "node:zlib";
import { build } from "esbuild";
import { areaOf, saidIn, sourceOf } from "./messages-in.mjs";
import { compileProgram } from "./programs/compiled.mjs";
import { PROGRAMS, codeOf } from "./programs/list.mjs";

const root = fileURLToPath(new URL("..", import.meta.url));
/** Of the schemas' messages nobody reads one; all their languages would make half of each file. */
/** @type {import("esbuild").Plugin} */
const oneLanguage = {
  name: "one-language",
  setup: ({ onLoad }) =>
    onLoad({ filter: /zod\/v4\/locales\/index\.js$/ }, () => ({
      contents: 'export { default as en } from "./en.js";',
    })),
};

/** What most of a start went into, when each of their files was looked for on its own, and what is sources. */
const BUNDLED =
  /^(zod|drizzle-orm|picomatch|@hpke|shamir-secret-sharing|@eremos\/words|intl-messageformat|@formatjs)(\/|$)|^@eremos\/core\/(guards|choices)$/;

/** Every other package is loaded from where it is installed. */
/** @type {import("esbuild").Plugin} */
const packagesOutside = {
  name: "packages-outside",
  setup: ({ onResolve }) =>
    onResolve({ filter: /^[^./]/ }, ({ path, kind }) =>
      kind === "entry-point" || BUNDLED.test(path) ? undefined : { path, external: true },
    ),
};

/** They can't be `require`d. */
const INSIDE = /^(@eremos|mime|@inquirer|@zip\.js)(\/|$)/;
const DOORS = { "@eremos/core": "core/src/index.ts", "@eremos/server": "server/src/index.ts" };
/** @type {import("esbuild").Plugin} */
const houseInside = {
  name: "house-inside",
  setup: ({ onResolve }) =>
    onResolve({ filter: /^[^./]/ }, ({ path, kind }) => {
      if (Object.hasOwn(DOORS, path)) return { path: join(root, DOORS[path]) };
      return kind === "entry-point" || BUNDLED.test(path) || INSIDE.test(path) ? undefined : { path, external: true };
    }),
};

const requiring =
  "import { createRequire as requireFrom } from 'node:module'; const require = requireFrom(import.meta.url);";

/** @satisfies {import("esbuild").BuildOptions} */
const common = {
  absWorkingDir: root,
  bundle: true,
  platform: "node",
  format: "esm",
  target: "node20",
  minifySyntax: true,
  minifyWhitespace: true,
  sourcemap: true,
  splitting: true,
  logLevel: "warning",
  plugins: [oneLanguage, packagesOutside],
  banner: { js: requiring },
};

export async function bundle() {
  for (const storey of ["core", "server", "cli", "demo", "rescue"])
    rmSync(join(root, storey, "dist"), { recursive: true, force: true });
  for (const storey of ["core", "server"])
    await build({ ...common, entryPoints: [`${storey}/src/index.ts`], outdir: `${storey}/dist` });
  await build({ ...common, entryPoints: ["cli/src/eremos.ts"], outdir: "cli/dist", plugins: [commandsOutside] });
  for (const program of PROGRAMS) await bundleProgram(program);
  await build({
    ...common,
    entryPoints: ["demo/src/generate.ts", "demo/src/broken.ts", "demo/src/traces.ts", "demo/src/remember.ts"],
    entryNames: "[name]",
    outdir: "demo/dist",
  });
  await bundleScript();
  await bundlePage("page", "rescue/dist/rescue.html");
  // No reader, but what one is made from: not beside the readers, which are copied away as a whole.
  const pdf = await bundlePdf();
  await bundlePage("package-page", "server/dist/package.html", {
    PDF: deflateRawSync(pdf, { level: 9 }).toString("base64"),
    PDF_HASH: hashOf(pdf),
  });
}

/** Whoever asks the command line for help only waits for no command. */
/** @type {import("esbuild").Plugin} */
const commandsOutside = {
  name: "commands-outside",
  setup: (build) => {
    build.onResolve({ filter: /^\.\/run$/ }, () => ({ path: "./run.cjs", external: true }));
    return packagesOutside.setup(build);
  },
};

/**
 * Where a process or a thread begins: one file with all of the house in it, the packages that have to be `require`d from
 * where they are installed, and what the engine compiled of it.
 */
async function bundleProgram({ source, program, kind }) {
  const made = join(root, program);
  const code = codeOf(made);
  const { metafile } = await build({
    ...common,
    format: "cjs",
    splitting: false,
    legalComments: "none",
    metafile: true,
    // What was compiled before can't ask for modules, and each of the packages can be required.
    supported: { "dynamic-import": false },
    entryPoints: [source],
    outfile: code,
    define: { "import.meta.url": "importMetaUrl" },
    banner: { js: "const importMetaUrl = require('node:url').pathToFileURL(__filename).href;" },
    plugins: [oneLanguage, houseInside],
  });
  for (const { path, external } of metafile.outputs[relative(root, code)].imports)
    if (external && !isBuiltin(path)) createRequire(code)(path);
  if (/[^\0-\x7f]/.test(readFileSync(code, "latin1"))) throw new Error(`${code} is not ASCII.`);
  copyFileSync(join(root, "scripts/programs/start.cjs"), made);
  compileProgram(process.execPath, made, kind);
}

/** What core uses natively, and a reader that is one file does without. Its messages are read before, so no parser. */
const standIns = {
  "@node-rs/argon2": "./rescue/src/stand-ins/argon2.ts",
  "@formatjs/icu-messageformat-parser": "@formatjs/icu-messageformat-parser/no-parser.js",
};

/**
 * A reader carries the messages that it can say and no others, read already.
 *
 * @param {import("esbuild").BuildOptions & { entryPoints: string[] }} options
 */
async function buildReader(options) {
  const found = await build({
    ...options,
    plugins: [oneLanguage],
    write: /** @type {const} */ (false),
    metafile: /** @type {const} */ (true),
  });
  const [output] = Object.values(found.metafile.outputs);
  const inputs = Object.keys(output.inputs);
  const areas = new Map(
    inputs
      .filter((file) => /^words\/src\/.*\.ts$/.test(file))
      .map(areaOf)
      .filter((area) => area !== null)
      .map(({ area, messages }) => [area, messages]),
  );
  const said = new Set(
    inputs
      .filter((file) => /^(core|rescue)\/src\/.*\.ts$/.test(file))
      .flatMap((file) => saidIn(sourceOf(file), areas))
      .flatMap(({ area, ids }) => ids.map((id) => `${area}.${id}`)),
  );
  let carried = 0;
  /** @type {import("esbuild").Plugin} */
  const own = {
    name: "own-messages",
    setup: ({ onLoad }) =>
      onLoad({ filter: /words\/src\/.*\.ts$/ }, ({ path }) => {
        const found = areaOf(relative(root, path));
        if (!found) return undefined;
        const messages = Object.fromEntries(
          [...found.messages]
            .filter(([id]) => said.has(`${found.area}.${id}`))
            .map(([id, { text, read }]) => [id, /[{']/.test(text) ? read : text]),
        );
        const text = JSON.stringify(messages);
        carried += text.length;
        const speaker = relative(dirname(path), join(root, "words/src/speaker"));
        return {
          contents: `import { speaker } from "${speaker.startsWith(".") ? speaker : `./${speaker}`}";
export const { say, said } = speaker("${found.area}", ${text});`,
          resolveDir: dirname(path),
        };
      }),
  };
  const { outputFiles } = await build({
    ...options,
    plugins: [oneLanguage, own],
    write: /** @type {const} */ (false),
  });
  const [{ text }] = outputFiles;
  process.stdout.write(
    `${options.entryPoints[0]}: ${Buffer.byteLength(text)} bytes, its messages ${carried} of them\n`,
  );
  return text;
}

/** One file for Node, with everything in it. */
async function bundleScript() {
  const script = await buildReader({
    ...common,
    splitting: false,
    sourcemap: false,
    legalComments: "inline",
    alias: standIns,
    entryPoints: ["rescue/src/script.ts"],
    outfile: "rescue/dist/rescue.mjs",
    banner: { js: `#!/usr/bin/env node\n${requiring}` },
  });
  mkdirSync(join(root, "rescue/dist"), { recursive: true });
  writeFileSync(join(root, "rescue/dist/rescue.mjs"), script, { mode: 0o755 });
}

function hashOf(text) {
  return `sha256-${createHash("sha256").update(text).digest("base64")}`;
}

/**
 * One script that stands in a page.
 *
 * @satisfies {import("esbuild").BuildOptions}
 */
const inPage = {
  absWorkingDir: root,
  bundle: true,
  platform: "browser",
  format: "iife",
  target: "es2022",
  minify: true,
  legalComments: "eof",
};

/** What draws PDFs, as one script: by its digest a page lets it run. */
async function bundlePdf() {
  const { outputFiles } = await build({
    ...inPage,
    logLevel: "error",
    write: false,
    entryPoints: ["rescue/src/pdf.ts"],
    outfile: "pdf.js",
  });
  const [{ text }] = outputFiles;
  return text;
}

/**
 * One page, with everything in it; its own policy lets nothing else run, and nothing be fetched. What it has no value for
 * stays a place: a package is put there.
 */
async function bundlePage(name, made, more = {}) {
  const text = await buildReader({
    ...inPage,
    logLevel: "warning",
    alias: { ...standIns, "node:crypto": "./rescue/src/stand-ins/node-crypto.ts" },
    inject: ["rescue/src/stand-ins/buffer.ts"],
    entryPoints: [`rescue/src/${name}.ts`],
    outfile: "page.js",
  });
  const script = text.trim().replaceAll("</script", "<\\/script");
  const style = readFileSync(join(root, "rescue/src/page.css"), "utf8");
  const values = { STYLE: style, SCRIPT: script, STYLE_HASH: hashOf(style), SCRIPT_HASH: hashOf(script), ...more };
  writeFileSync(
    join(root, made),
    readFileSync(join(root, `rescue/src/${name}.html`), "utf8").replace(
      /%([A-Z_]+)%/g,
      (whole, key) => values[key] ?? whole,
    ),
  );
}
