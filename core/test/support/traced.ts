import { spawn } from "node:child_process";
import { once } from "node:events";
import * as fs from "node:fs";
import * as path from "node:path";
import type { DurableCall } from "./durable-calls";
import { watch } from "./system-calls";
import { bundleProcess } from "./own-process";

/**
 * The system calls of one of the real disk's durable calls, made by a process of its own in that directory, each with
 * the path of what it is about.
 */
export async function systemCallsOf(call: DurableCall, directory: string): Promise<string[]> {
  const bundle = path.join(import.meta.dirname, `traced-process.${process.pid}.bundle.mjs`);
  await bundleProcess(path.join(import.meta.dirname, "traced-process.ts"), bundle);
  try {
    const child = spawn(process.execPath, [bundle, directory, call], { stdio: ["ignore", "pipe", "inherit"] });
    const ended = once(child, "close");
    const [listener] = (await once(child.stdout, "data")) as [Buffer];
    const calls: string[] = [];
    watch(child.pid ?? 0, Number(listener.toString()), (name, _before, descriptor) => {
      calls.push(`${name} ${fs.readlinkSync(`/proc/${child.pid}/fd/${descriptor}`)}`);
      return "through";
    });
    await ended;
    return calls;
  } finally {
    fs.rmSync(bundle);
  }
}
