import { build, install, requireNode, serveHere } from "./steps.mjs";

process.env.NODE_ENV = "production";
process.env.NEXT_TELEMETRY_DISABLED = "1";
requireNode();
install();
await build();
process.stdout.write(`Eremos is at ${await serveHere()}\n`);
