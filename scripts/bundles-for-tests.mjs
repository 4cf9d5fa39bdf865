/** Tests start the real command line, servers and workers: these are of the sources as they are now, in watch mode too. */
import { relative } from "node:path";
import { buildBundles, root } from "./steps.mjs";

/** The core's own tests run its sources, and start nothing that was bundled (a style rule sees to that). */
const RUNS_SOURCES = /^(\.\/)?(core|words)\/test\//;

export async function setup(project) {
  const buildFor = async (names) => {
    if (names.length === 0 || !names.every((name) => RUNS_SOURCES.test(name))) await buildBundles();
  };
  await buildFor(project.vitest.filenamePattern ?? []);
  // In watch mode others may be asked for than at the start.
  project.onTestsRerun((tests) => buildFor(tests.map(({ moduleId }) => relative(root, moduleId))));
}
