import { randomBytes } from "@eremos/core";
import type { OpenedFile } from "../contract";
import { Since } from "../steady-clock";

/** What is said of it in the program's environment: by that it is known, and whatever it starts. */
const SETTING = "EREMOS_OPENED_WITH";
const LOOK_EVERY_MS = 500;
/** One that ends sooner has handed the file on to a program that was running, of which nothing can be told. */
const SHORTEST_MS = 10_000;

interface Opened extends OpenedFile {
  readonly folder: string;
  readonly mark: string;
  /** When the desktop had begun a program; null: it has not yet. */
  readonly begun: Since | null;
}

export interface Watched {
  /** Whether a process runs that was started with this in its environment (`NAME=value`). */
  readonly runs: (setting: string) => boolean;
  readonly changed: (folder: string) => void;
  /** The last program that a file of the folder was opened in has ended. */
  readonly letGo: (folder: string) => void;
}

/** Files of visits that the desktop's programs have open off the drive, as far as can be told. */
export class OpenedFiles {
  private opened: readonly Opened[] = [];
  private timer: NodeJS.Timeout | null = null;

  /** `shortestMs`: for so long at least a program runs that has a file open by itself. */
  constructor(
    private readonly watched: Watched,
    private readonly shortestMs = SHORTEST_MS,
  ) {}

  of(folder: string): readonly OpenedFile[] {
    return this.opened.filter((one) => one.folder === folder).map(({ name, program }) => ({ name, program }));
  }

  /** One is about to be opened. @returns what its program is to have in its environment */
  begin(folder: string, name: string): Readonly<Record<string, string>> {
    const mark = randomBytes(16).toString("hex");
    this.opened = [...this.opened, { folder, name, mark, program: "starting", begun: null }];
    this.timer ??= setInterval(() => this.look(), LOOK_EVERY_MS).unref();
    this.watched.changed(folder);
    return { [SETTING]: mark };
  }

  /** The desktop has begun a program with it. */
  started(setting: Readonly<Record<string, string>>): void {
    const begun = new Since();
    this.opened = this.opened.map((one) => (one.mark === setting[SETTING] ? { ...one, begun } : one));
  }

  /** The visit is over. */
  forget(folder: string): void {
    this.keep(this.opened.filter((one) => one.folder !== folder));
  }

  /** No program took it. */
  drop(setting: Readonly<Record<string, string>>): void {
    const dropped = this.opened.find(({ mark }) => mark === setting[SETTING]);
    this.keep(this.opened.filter((one) => one !== dropped));
    if (dropped) this.watched.changed(dropped.folder);
  }

  private keep(opened: readonly Opened[]): void {
    this.opened = opened;
    if (this.timer === null || opened.some(({ program }) => program !== "unknown")) return;
    clearInterval(this.timer);
    this.timer = null;
  }

  private look(): void {
    const ended = new Set<string>();
    const changed = new Set<string>();
    const now = this.opened.flatMap((one): Opened[] => {
      if (one.program === "unknown" || one.begun === null) return [one];
      const isLong = one.begun.ms >= this.shortestMs;
      if (this.watched.runs(`${SETTING}=${one.mark}`)) {
        if (!isLong || one.program === "running") return [one];
        changed.add(one.folder);
        return [{ ...one, program: "running" }];
      }
      if (one.program === "starting" && !isLong) return [one];
      changed.add(one.folder);
      if (one.program === "starting") return [{ ...one, program: "unknown" }];
      ended.add(one.folder);
      return [];
    });
    this.keep(now);
    changed.forEach(this.watched.changed);
    for (const folder of ended) if (this.of(folder).length === 0) this.watched.letGo(folder);
  }
}
