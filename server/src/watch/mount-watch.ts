import { readTables } from "../operations/follow-drives";
import type { Eremos } from "../eremos";

const LOOK_EVERY_MS = 2000;

/** Tells the page when a drive came or went: its folders come back, or show as away. */
export function watchMounts(eremos: Eremos): () => void {
  const mounts = (): string => readTables(eremos.settings.mounts);
  let known = mounts();
  const timer = setInterval(() => {
    const now = mounts();
    if (now === known) return;
    known = now;
    eremos.announce({ topic: "folders" });
  }, LOOK_EVERY_MS);
  return () => clearInterval(timer);
}
