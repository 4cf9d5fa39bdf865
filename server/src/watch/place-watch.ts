import * as fs from "node:fs";

const MOST_WATCHED = 256;
const GATHER_MS = 120;

/**
 * Watches the directories that are being looked at, one level each; the ones looked at longest ago are dropped first.
 */
export class PlaceWatch {
  private readonly watchers = new Map<string, fs.FSWatcher>();
  private readonly timers = new Map<string, NodeJS.Timeout>();

  constructor(private readonly changed: (path: string) => void) {}

  watch(path: string): void {
    const known = this.watchers.get(path);
    if (known) {
      this.watchers.delete(path);
      this.watchers.set(path, known);
      return;
    }
    try {
      const watcher = fs.watch(path, { persistent: false }, () => this.gather(path));
      watcher.on("error", () => this.drop(path));
      this.watchers.set(path, watcher);
    } catch {
      // A directory that is gone or can't be watched is looked at again when somebody asks for it.
      return;
    }
    const [oldest] = this.watchers.keys();
    if (this.watchers.size > MOST_WATCHED && oldest !== undefined) this.drop(oldest);
  }

  private gather(path: string): void {
    if (this.timers.has(path)) return;
    this.timers.set(
      path,
      setTimeout(() => {
        this.timers.delete(path);
        this.changed(path);
      }, GATHER_MS),
    );
  }

  private drop(path: string): void {
    this.watchers.get(path)?.close();
    this.watchers.delete(path);
  }

  close(): void {
    for (const path of [...this.watchers.keys()]) this.drop(path);
    for (const timer of this.timers.values()) clearTimeout(timer);
  }
}
