/** Bundles core, server, command line and demo for Node; of the packages, those that are hundreds of small files. */
import { createHash } from "node:crypto";
import { readFileSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { build } from "esbuild";

const root = fileURLToPath(new URL("..", import.meta.url));
/** Of the schemas' messages nobody reads one; all their languages would make half of each file. */
const oneLanguage = {
  name: "one-language",
  setup: ({ onLoad }) =>
    onLoad({ filter: /zod\/v4\/locales\/index\.js$/ }, () => ({
      contents: 'export { default as en } from "./en.js";',
    })),
};

/** What most of a start went into, when each of their files was looked for on its own, and what is sources. */
const BUNDLED = /^(zod|drizzle-orm|picomatch|@hpke|shamir-secret-sharing)(\/|$)|^@eremos\/core\/(guards|choices)$/;

/** Every other package is loaded from where it is installed. */
const packagesOutside = {
  name: "packages-outside",
  setup: ({ onResolve }) =>
    onResolve({ filter: /^[^./]/ }, ({ path, kind }) =>
      kind === "entry-point" || BUNDLED.test(path) ? undefined : { path, external: true },
    ),
};

const requiring =
  "import { createRequire as requireFrom } from 'node:module'; const require = requireFrom(import.meta.url);";

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
  await build({
    ...common,
    entryPoints: ["core/src/index.ts", "core/src/worker/engine-worker.ts"],
    entryNames: "[name]",
    outdir: "core/dist",
  });
  await build({
    ...common,
    entryPoints: [
      "server/src/index.ts",
      "server/src/visit/visit-worker.ts",
      "server/src/http/session-main.ts",
      "server/src/look/looker-main.ts",
    ],
    entryNames: "[name]",
    outdir: "server/dist",
  });
  await build({ ...common, entryPoints: ["cli/src/eremos.ts"], outdir: "cli/dist" });
  await build({
    ...common,
    entryPoints: ["demo/src/generate.ts", "demo/src/broken.ts"],
    entryNames: "[name]",
    outdir: "demo/dist",
  });
  await bundleScript();
  await bundlePage();
}

/** What core uses natively, and a reader that is one file does without. */
const standIns = { "@node-rs/argon2": "./rescue/src/stand-ins/argon2.ts" };

/** One file for Node, with everything in it. */
async function bundleScript() {
  await build({
    ...common,
    splitting: false,
    sourcemap: false,
    legalComments: "inline",
    alias: standIns,
    plugins: [oneLanguage],
    entryPoints: ["rescue/src/script.ts"],
    outfile: "rescue/dist/rescue.mjs",
    banner: { js: `#!/usr/bin/env node\n${requiring}` },
  });
}

/** One page, with everything in it; its own policy lets nothing else run, and nothing be fetched. */
async function bundlePage() {
  const { outputFiles } = await build({
    absWorkingDir: root,
    bundle: true,
    write: false,
    platform: "browser",
    format: "iife",
    target: "es2022",
    minify: true,
    legalComments: "eof",
    logLevel: "warning",
    alias: { ...standIns, "node:crypto": "./rescue/src/stand-ins/node-crypto.ts" },
    inject: ["rescue/src/stand-ins/buffer.ts"],
    plugins: [oneLanguage],
    entryPoints: ["rescue/src/page.ts"],
    outfile: "page.js",
  });
  const script = outputFiles[0].text.trim().replaceAll("</script", "<\\/script");
  const style = readFileSync(join(root, "rescue/src/page.css"), "utf8");
  const hash = (text) => `sha256-${createHash("sha256").update(text).digest("base64")}`;
  const values = { STYLE: style, SCRIPT: script, STYLE_HASH: hash(style), SCRIPT_HASH: hash(script) };
  writeFileSync(
    join(root, "rescue/dist/rescue.html"),
    readFileSync(join(root, "rescue/src/page.html"), "utf8").replace(/%([A-Z_]+)%/g, (_whole, name) => values[name]),
  );
}
