import { type Disk, newId, systemCode } from "@eremos/core";

const MOST_TRIES = 20;

/**
 * By which other processes of this Eremos know that one is still at work: a lock on a file, which the system frees
 * however that process ends. A process number says nothing: the next one may have it.
 */
export class Presence {
  /** Of the file; nobody has had it before. */
  readonly name = newId();
  private held: ReturnType<Disk["tryLock"]> = null;

  /** `directory`: this account's own. */
  constructor(
    private readonly disk: Disk,
    private readonly directory: string,
  ) {}

  /** From before the first work until the end. Where this can't be written, no work can be written down, either. */
  begin(): void {
    if (this.held) return;
    try {
      // Whoever sweeps may be at the new file first.
      for (let tries = 0; tries < MOST_TRIES && !this.held; tries++)
        this.held = this.inside((dir) => this.disk.tryLock(dir, Buffer.from(this.name)));
      this.sweep();
    } catch (error) {
      if (systemCode(error) === undefined) throw error;
    }
  }

  /** Whether somebody is at work under this name. Where that can't be asked, nobody's work is taken for cut off. */
  isAtWork(name: string): boolean {
    try {
      return this.inside((dir) => this.disk.isLocked(dir, Buffer.from(name)));
    } catch (error) {
      const code = systemCode(error);
      if (code === undefined) throw error;
      return code !== "ENOENT" && code !== "ENOTDIR";
    }
  }

  /** Of processes that were killed. */
  private sweep(): void {
    this.inside((dir) => {
      for (const name of this.disk.list(dir)) {
        if (name.equals(Buffer.from(this.name))) continue;
        const free = this.disk.tryLock(dir, name);
        if (!free) continue;
        this.disk.unlink(dir, name);
        this.disk.closeFile(free);
      }
    });
  }

  private inside<T>(use: (dir: ReturnType<Disk["openRoot"]>) => T): T {
    const dir = this.disk.openRoot(Buffer.from(this.directory));
    try {
      return use(dir);
    } finally {
      this.disk.closeDir(dir);
    }
  }

  close(): void {
    if (!this.held) return;
    try {
      this.inside((dir) => this.disk.unlink(dir, Buffer.from(this.name)));
    } catch (error) {
      // The next one that begins clears it away.
      if (systemCode(error) === undefined) throw error;
    }
    this.disk.closeFile(this.held);
    this.held = null;
  }
}
