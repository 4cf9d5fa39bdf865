import { type Plugin, build } from "esbuild";

/** Packages are loaded from where they are installed; those of the project are sources. */
const packagesOutside: Plugin = {
  name: "packages-outside",
  setup: ({ onResolve }) =>
    onResolve({ filter: /^[^./]/ }, ({ path, kind }) =>
      kind === "entry-point" || path.startsWith("@eremos/") ? undefined : { path, external: true },
    ),
};

/** One file for a process of its own. It lies beside the sources, from where it finds the native libraries. */
export async function bundleProcess(source: string, outfile: string): Promise<void> {
  await build({
    entryPoints: [source],
    outfile,
    bundle: true,
    platform: "node",
    format: "esm",
    plugins: [packagesOutside],
    logLevel: "error",
  });
}
