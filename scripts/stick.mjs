/**
 * The demo's Red stick: `npm run stick -- out` takes it out, `npm run stick -- in ["Another name"]` puts it in again.
 */
import { join } from "node:path";
import { demoStick } from "../stand-ins/drive.mjs";
import { fail, root } from "./steps.mjs";

const demo = join(root, ".demo");
const stick = demoStick(demo);
const [way, name = "Red stick"] = process.argv.slice(2);
try {
  if (way === "out") stick.takeOut();
  else if (way === "in") stick.putIn(join(demo, "world", name));
  else fail("Say `npm run stick -- out`, or `npm run stick -- in` with another name if you like.");
  process.stdout.write(stick.at === null ? "The stick is in the drawer.\n" : `The stick is at ${stick.at}\n`);
} catch (error) {
  fail(error.message);
}
