/** Bundles core, server, command line and demo for Node; packages stay outside. */
import { rmSync } from "node:fs";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { build } from "esbuild";

const root = fileURLToPath(new URL("..", import.meta.url));
const common = { absWorkingDir: root, bundle: true, platform: "node", format: "esm", target: "node20", packages: "external", splitting: true, sourcemap: true, logLevel: "warning" };

export async function bundle() {
  for (const storey of ["core", "server", "cli", "demo"]) rmSync(join(root, storey, "dist"), { recursive: true, force: true });
  await build({ ...common, entryPoints: ["core/src/index.ts", "core/src/worker/engine-worker.ts"], entryNames: "[name]", outdir: "core/dist" });
  await build({ ...common, entryPoints: ["server/src/index.ts", "server/src/visit/visit-worker.ts"], entryNames: "[name]", outdir: "server/dist" });
  await build({ ...common, entryPoints: ["cli/src/eremos.ts"], outdir: "cli/dist" });
  await build({ ...common, entryPoints: ["demo/src/generate.ts"], outdir: "demo/dist" });
}
