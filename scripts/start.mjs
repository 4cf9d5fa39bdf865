import { build, install, requireNode, serveHere } from "./steps.mjs";

requireNode();
install();
await build();
process.stdout.write(`Eremos is at ${await serveHere()}\n`);
