/** Tests start the real command line, servers and workers: these are of the sources as they are now, in watch mode too. */
import { buildBundles } from "./steps.mjs";

/** The core's own tests run its sources, and start nothing that was bundled (a style rule sees to that). */
const RUNS_SOURCES = /^(\.\/)?(core|words)\/test\//;

export async function setup(project) {
  const asked = project.vitest.filenamePattern ?? [];
  if (asked.length > 0 && asked.every((name) => RUNS_SOURCES.test(name))) return;
  await buildBundles();
  project.onTestsRerun(() => buildBundles());
}
