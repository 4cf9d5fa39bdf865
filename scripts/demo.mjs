/**
 * Builds, makes the demo world in .demo (ignored by git) and starts Eremos on it. `npm run demo -- --fresh` makes it
 * anew.
 */
import { existsSync, mkdirSync, renameSync, rmSync } from "node:fs";
import { spawnSync } from "node:child_process";
import { join } from "node:path";
import { demoStick } from "../stand-ins/drive.mjs";
import { build, fail, install, requireNode, root, run, serveHere } from "./steps.mjs";

requireNode();
install();
await build();

const demo = join(root, ".demo");
const world = join(demo, "world");
const data = join(demo, "data");
if (process.argv.includes("--fresh")) rmSync(demo, { recursive: true, force: true });
const { DEMO_PASSWORD, generateWorld } = await import("#demo/generate");
const { homeEnvironment, leaveTraces } = await import("#demo/traces");
if (!existsSync(world)) {
  process.stdout.write("Making the demo world…\n");
  const beginning = join(demo, "world.new");
  rmSync(beginning, { recursive: true, force: true });
  mkdirSync(demo, { recursive: true });
  await generateWorld(beginning);
  renameSync(beginning, world);
  demoStick(demo).mark(join(world, "Red stick"));
}
const home = join(demo, "home");
if (!existsSync(home)) leaveTraces(world, home);
Object.assign(process.env, homeEnvironment(home));
process.env.EREMOS_PLACES = world;
process.env.EREMOS_DATA = data;
process.env.EREMOS_MOUNTS = demoStick(demo).table;
const { startMailBox } = await import("../stand-ins/mail-box.mjs");
const letters = join(demo, "mail box");
process.env.EREMOS_MAIL = `smtp://127.0.0.1:${(await startMailBox(letters)).port}?from=ines@workshop.example`;
process.env.EREMOS_SYNCED = join(world, "Cloud drive");
if (!existsSync(join(data, "owner.json"))) {
  run("node", ["cli/bin/eremos.mjs", "setup", "--password-stdin", "--hint", "four things on the bench"], {
    input: `${DEMO_PASSWORD}\n`,
    stdio: ["pipe", "ignore", "inherit"],
  });
}
if (!existsSync(join(world, "Broken cases", "Studio"))) {
  process.stdout.write("Moving in, and breaking a few things for Ways back…\n");
  const { breakThings, eremosOf, moveIn } = await import("#demo/broken");
  const eremos = eremosOf(
    "cli/bin/eremos.mjs",
    process.env,
    DEMO_PASSWORD,
    (words, env, input) =>
      spawnSync("node", ["cli/bin/eremos.mjs", ...words], {
        cwd: root,
        env,
        input,
        stdio: ["pipe", "ignore", "ignore"],
      }).status === 0,
  );
  moveIn(world, eremos);
  await breakThings(world, eremos);
  const { rememberPast } = await import("#demo/remember");
  await rememberPast(DEMO_PASSWORD, process.env);
}
const ready = (address) =>
  process.stdout.write(
    `\n  Eremos is at      ${address}\n  Master password   ${DEMO_PASSWORD}\n  The demo world    ${world}\n  Mail lands in     ${letters}\n\n  Stop it with Ctrl C.\n`,
  );
await serveHere(ready).catch((error) => fail(error.message));
