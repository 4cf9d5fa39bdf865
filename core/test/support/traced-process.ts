import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { DURABLE_CALLS, isDurableCall } from "./durable-calls";
import { beWatched, endWork } from "./system-calls";

/** A process of its own that makes one of the disk's durable calls in a directory, while it is watched. */
const [path, call] = process.argv.slice(2);
if (!path || !call || !isDurableCall(call)) throw new Error("where, and which call?");
const dir = linuxDisk.openRoot(Buffer.from(path));
const file = linuxDisk.create(dir, Buffer.from(call), 0o600);
linuxDisk.write(file, Buffer.from("content"), 0, 7, 0);
process.stdout.write(`${beWatched()}\n`);
DURABLE_CALLS[call](linuxDisk, dir, file);
endWork();
process.exit(0);
