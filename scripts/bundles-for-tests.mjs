/** Tests start the real command line, servers and workers: these are of the sources as they are now, in watch mode too. */
import { buildBundles } from "./steps.mjs";

export async function setup(project) {
  await buildBundles();
  project.onTestsRerun(() => buildBundles());
}
