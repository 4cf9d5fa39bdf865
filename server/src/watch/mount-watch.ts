import * as fs from "node:fs";
import type { Eremos } from "../eremos";

const LOOK_EVERY_MS = 2000;

/** Tells the page when a drive came or went: its folders come back, or show as away. */
export function watchMounts(eremos: Eremos): () => void {
  let known = mounts();
  const timer = setInterval(() => {
    const now = mounts();
    if (now === known) return;
    known = now;
    eremos.announce({ topic: "folders" });
  }, LOOK_EVERY_MS);
  return () => clearInterval(timer);
}

function mounts(): string {
  try {
    return fs.readFileSync("/proc/self/mounts", "utf8");
  } catch {
    return "";
  }
}
