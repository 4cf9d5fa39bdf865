import { build, install, requireNode } from "./steps.mjs";

requireNode();
install();
await build();
