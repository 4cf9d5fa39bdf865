import { install, requireNode, serveHere } from "./steps.mjs";

requireNode();
install();
const { bundle } = await import("./bundle.mjs");
await bundle();
process.stdout.write(`Eremos, for development, is at ${await serveHere(true)}\n`);
