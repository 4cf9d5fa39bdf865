/**
 * Prints the most memory (KiB, resident) this process ever held: `idle`, or after one verb on a folder. Run by the
 * benchmark.
 */
import { readFileSync } from "node:fs";
import * as core from "@eremos/core";
import { house, lock, open } from "./house.mjs";

const [verb, path, kept] = process.argv.slice(2);
const { owner, ...keys } = JSON.parse(readFileSync(kept, "utf8"));
const known = house(core, owner, Buffer.from(keys.rootKey, "base64"), Buffer.from(keys.device, "base64"));
if (verb === "lock") await lock(known, path, keys.folder);
if (verb === "open") await open(known, path);
// Not what resourceUsage() says: that counts the process this one was forked from, too.
process.stdout.write(/VmHWM:\s+(\d+)/.exec(readFileSync("/proc/self/status", "utf8"))?.[1] ?? "");
