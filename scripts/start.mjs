import { build, install, requireNode, serveHere } from "./steps.mjs";

requireNode();
install();
await build();
await serveHere((address) => process.stdout.write(`Eremos is at ${address}\n`));
