const LOOK_EVERY_MS = 2000;

/** Tells the page when a drive came or went: its folders come back, or show as away. */
export function watchMounts(mounts: () => string, changed: () => void): () => void {
  let known = mounts();
  const timer = setInterval(() => {
    const now = mounts();
    if (now === known) return;
    known = now;
    changed();
  }, LOOK_EVERY_MS);
  return () => clearInterval(timer);
}
