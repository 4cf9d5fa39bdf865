import { install, requireNode, serveHere } from "./steps.mjs";

requireNode();
install();
const { bundle } = await import("./bundle.mjs");
await bundle();
await serveHere((address) => process.stdout.write(`Eremos, for development, is at ${address}\n`), true);
