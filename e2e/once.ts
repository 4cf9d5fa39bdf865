import * as fs from "node:fs";
import * as os from "node:os";
import * as path from "node:path";
import { generateWorld } from "../demo/src/generate";
import { chooseWithLeastEffort } from "../server/test/least-effort";
import { PASSWORD, TEMPLATE } from "./house";

/** Before the first test: what every house begins with. Returns what clears it away after the last. */
export default async function makeTemplate(): Promise<() => void> {
  const directory = fs.mkdtempSync(path.join(os.tmpdir(), "eremos-world-"));
  const [world, data] = [path.join(directory, "world"), path.join(directory, "data")];
  await generateWorld(world);
  const recoveryCode = await chooseWithLeastEffort(data, world, PASSWORD);
  process.env[TEMPLATE] = JSON.stringify({ world, data, recoveryCode });
  return () => fs.rmSync(directory, { recursive: true, force: true });
}
