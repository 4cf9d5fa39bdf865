import { install, requireNode, serveHere } from "./steps.mjs";

process.env.NODE_ENV = "development";
process.env.NEXT_TELEMETRY_DISABLED = "1";
requireNode();
install();
const { bundle } = await import("./bundle.mjs");
await bundle();
process.stdout.write(`Eremos, for development, is at ${await serveHere(true)}\n`);
