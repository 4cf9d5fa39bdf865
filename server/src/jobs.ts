import { randomUUID } from "node:crypto";
import { and, desc, eq, inArray, isNotNull } from "drizzle-orm";
import {
  type EngineRequest,
  EremosError,
  type Outcomes,
  type Progress,
  fromSystemError,
  runEngine,
  systemCode,
  wipe,
} from "@eremos/core";
import type { JobPhase, JobVerb, JobView } from "./contract";
import { lazily } from "./database/lazily";
import { type OpenDatabase, isUnwritable, reasonOf } from "./database/open";
import { jobs } from "./database/schema";
import type { Presence } from "./presence";
import { said, say } from "@eremos/words/server/house";
import { errorView } from "./error-view";

const AT_ONCE = 2;
const SAVE_EVERY_MS = 400;
const MOST_SHOWN = 200;
const ROOM_WAIT_MS = 20_000;
const ROOM_LOOK_MS = 50;
type JobRow = typeof jobs.$inferSelect;

type EngineVerb = keyof Outcomes;

export interface JobSpec<V extends EngineVerb> {
  readonly folder: string;
  /** What the person asked for. */
  readonly verb: JobVerb;
  readonly request: EngineRequest & { readonly verb: V };
  /** Runs before the engine starts and must leave a trace from which a cut-off job can be found again. */
  readonly before: () => void;
  /** Records the outcome; returns how it ended, in words, or null where another job tells. */
  readonly after: (outcome: Outcomes[V]) => Promise<string | null>;
  readonly failed: (error: EremosError) => Promise<void>;
}

/** A job whose process went away in the middle, as far as it had come. */
export type CutOff = Pick<JobView, "id" | "verb" | "files" | "filesTotal">;

export interface StartedJob<V extends EngineVerb> {
  readonly id: string;
  readonly outcome: Promise<Outcomes[V]>;
}

/** Long work: queued, persisted by ids and numbers only, cancellable. */
export class Jobs {
  private readonly waiting: (() => void)[] = [];
  private readonly cancels = new Map<string, () => void>();
  private readonly words = new Map<string, { readonly summary: string | null; readonly error: EremosError | null }>();
  private readonly speeds = new Map<string, number>();
  private readonly outcomes = new Set<Promise<unknown>>();
  /** Jobs of which the database could not take a row: they are done all the same. */
  private readonly unwritten = new Map<string, JobRow>();
  private running = 0;

  constructor(
    private readonly database: OpenDatabase,
    private readonly identity: Uint8Array,
    private readonly presence: Presence,
    private readonly changed: () => void,
    private readonly onProgress: (folder: string, verb: JobVerb, progress: Progress) => void = () => undefined,
  ) {}

  start<V extends EngineVerb>(spec: JobSpec<V>): StartedJob<V> {
    const id = randomUUID();
    this.presence.begin();
    const row = {
      id,
      folder: spec.folder,
      verb: spec.verb,
      state: "queued" as const,
      phase: "queued",
      files: 0,
      filesTotal: 0,
      bytes: 0,
      bytesTotal: 0,
      holder: this.presence.name,
      startedAt: Date.now(),
    };
    this.insert({ ...row, error: null, endedAt: null });
    // The job's own copy of paths and keys: a sign-out meanwhile wipes the originals.
    const owned = { ...spec, request: structuredClone(spec.request) };
    const outcome = this.turn(id)
      .then(() => this.run(id, owned))
      .finally(() => wipeAll(owned.request));
    const settled = outcome.catch(() => undefined).finally(() => this.outcomes.delete(settled));
    this.outcomes.add(settled);
    this.changed();
    return { id, outcome };
  }

  private turn(id: string): Promise<void> {
    if (this.running < AT_ONCE) {
      this.running++;
      return Promise.resolve();
    }
    return new Promise((resolve, reject) => {
      const go = (): void => resolve();
      this.waiting.push(go);
      this.cancels.set(id, () => {
        this.waiting.splice(this.waiting.indexOf(go), 1);
        this.cancels.delete(id);
        this.save(id, { state: "cancelled", endedAt: Date.now() });
        reject(new EremosError("cancelled", said("taken-out-queue-nothing-was")));
      });
    });
  }

  private async run<V extends EngineVerb>(id: string, spec: JobSpec<V>): Promise<Outcomes[V]> {
    try {
      spec.before();
      this.save(id, { state: "running", phase: "looking" });
      const work = runEngine<V>(spec.request, this.saver(id, spec), this.identity);
      this.cancels.set(id, () => work.cancel());
      const outcome = await work.outcome;
      await this.finish(id, spec, outcome);
      return outcome;
    } catch (caught) {
      const error = fromSystemError(caught, said("working"));
      this.words.set(id, { summary: null, error });
      try {
        await spec.failed(error);
        this.save(id, {
          state: error.code === "cancelled" ? "cancelled" : "failed",
          error: error.code,
          endedAt: Date.now(),
        });
      } catch {
        // The database can't be written: the first failure is the one to tell of, and the next start puts the list
        // right.
      }
      throw error;
    } finally {
      this.cancels.delete(id);
      this.speeds.delete(id);
      const next = this.waiting.shift();
      if (next) next();
      else this.running--;
    }
  }

  private async finish<V extends EngineVerb>(id: string, spec: JobSpec<V>, outcome: Outcomes[V]): Promise<void> {
    try {
      const summary = await spec.after(outcome);
      this.words.set(id, { summary, error: null });
      this.save(id, { state: "done", endedAt: Date.now() });
    } catch (caught) {
      if (!isUnwritable(caught) && systemCode(caught) === undefined)
        throw fromSystemError(caught, said("writing-down-what-is-done"));
      throw new EremosError("io", said("what-you-asked-for-is", { reason: reasonOf(caught) }));
    }
  }

  private saver<V extends EngineVerb>(id: string, spec: JobSpec<V>): (progress: Progress) => void {
    let savedAt = 0;
    let began = { phase: "", at: 0, hasMoved: false };
    return (progress) => {
      this.onProgress(spec.folder, spec.verb, progress);
      const now = Date.now();
      const isNewPhase = progress.phase !== began.phase;
      if (isNewPhase) began = { phase: progress.phase, at: now, hasMoved: false };
      // That it moves is told at once, how far it is from time to time.
      const isFirstStep = progress.files > 0 && !began.hasMoved;
      if (now - savedAt < SAVE_EVERY_MS && !isNewPhase && !isFirstStep) return;
      began.hasMoved ||= progress.files > 0;
      savedAt = now;
      if (progress.bytes > 0 && now > began.at) this.speeds.set(id, (1000 * progress.bytes) / (now - began.at));
      else this.speeds.delete(id);
      try {
        this.save(id, progress);
      } catch {
        // How far it is matters less than that it goes on.
      }
    };
  }

  private insert(row: JobRow): void {
    try {
      this.database.orm.insert(jobs).values(row).run();
    } catch (error) {
      if (!isUnwritable(error)) throw error;
      this.unwritten.set(row.id, row);
    }
  }

  private save(id: string, change: Partial<JobRow>): void {
    const unwritten = this.unwritten.get(id);
    if (unwritten) this.unwritten.set(id, { ...unwritten, ...change });
    else this.database.orm.update(jobs).set(change).where(eq(jobs.id, id)).run();
    this.changed();
  }

  /** For jobs that another process of this Eremos works on. */
  cancelElsewhere: ((id: string) => void) | null = null;

  /** Asks a job to stop and put things back; returns whether anybody could be asked. */
  cancel(id: string): boolean {
    if (this.cancelHere(id)) return true;
    this.cancelElsewhere?.(id);
    return this.cancelElsewhere !== null;
  }

  cancelHere(id: string): boolean {
    const cancel = this.cancels.get(id);
    cancel?.();
    return cancel !== undefined;
  }

  /** Work that nobody waits for makes room for what somebody asks of the same folder; it goes on later. */
  async makeRoom(folder: string): Promise<void> {
    const isThere = (): JobRow[] =>
      this.database.orm
        .select()
        .from(jobs)
        .where(and(eq(jobs.folder, folder), eq(jobs.verb, "renew"), inArray(jobs.state, ["queued", "running"])))
        .all();
    for (const { id } of isThere()) this.cancel(id);
    for (let waited = 0; waited < ROOM_WAIT_MS && isThere().length > 0; waited += ROOM_LOOK_MS)
      await new Promise((resolve) => setTimeout(resolve, ROOM_LOOK_MS));
  }

  /** Waits until nothing runs any more, but not longer than so. */
  async drain(longestMs: number): Promise<void> {
    let timer: NodeJS.Timeout | undefined;
    await Promise.race([
      Promise.all(this.outcomes),
      new Promise((resolve) => (timer = setTimeout(resolve, longestMs))),
    ]);
    clearTimeout(timer);
  }

  /**
   * Asks everything to stop and put things back; waits for it, but not for long: what is cut off is put right at the
   * next start.
   */
  async stop(longestMs: number): Promise<void> {
    for (const cancel of [...this.cancels.values()]) cancel();
    await this.drain(longestMs);
  }

  private readonly newest = lazily(() =>
    this.database.orm.select().from(jobs).orderBy(desc(jobs.startedAt)).limit(MOST_SHOWN).prepare(),
  );

  list(): JobView[] {
    const rows = [...this.unwritten.values(), ...this.newest().all()];
    return rows.map(({ holder: _holder, ...row }) => {
      const words = this.words.get(row.id);
      const error = words?.error
        ? errorView(words.error)
        : row.error === null
          ? null
          : { code: row.error, message: wordsFor(row.error) };
      return {
        ...row,
        phase: row.phase as JobPhase,
        bytesPerSecond: this.speeds.get(row.id) ?? null,
        error,
        summary: words?.summary ?? null,
      };
    });
  }

  /** Marks jobs that nobody holds any more; returns whether there were any. */
  markInterrupted(): boolean {
    const rows = this.database.orm
      .select()
      .from(jobs)
      .where(inArray(jobs.state, ["queued", "running"]))
      .all();
    const dead = rows.filter(({ id, holder }) =>
      holder === this.presence.name ? !this.isOurs(id) : !this.presence.isAtWork(holder),
    );
    for (const row of dead) this.save(row.id, { state: "interrupted", error: "interrupted", endedAt: Date.now() });
    return dead.length > 0;
  }

  /** The last job of a folder, where that was cut off and its owner was not told yet. */
  cutOff(folder: string): CutOff | null {
    const last = this.database.orm
      .select()
      .from(jobs)
      .where(eq(jobs.folder, folder))
      .orderBy(desc(jobs.startedAt))
      .limit(1)
      .get();
    return last?.state === "interrupted" && last.error !== null ? last : null;
  }

  /** Folders any job of which was cut off without its owner being told: few, if any. */
  foldersCutOff(): ReadonlySet<string> {
    const isCutOff = and(eq(jobs.state, "interrupted"), isNotNull(jobs.error));
    const rows = this.database.orm.select({ folder: jobs.folder }).from(jobs).where(isCutOff).all();
    return new Set(rows.map(({ folder }) => folder));
  }

  /** Its owner was told. */
  told({ id }: CutOff): void {
    this.save(id, { error: null });
  }

  private isOurs(id: string): boolean {
    return this.cancels.has(id) || this.running > 0;
  }

  get busy(): boolean {
    return this.running > 0;
  }
}

/** For a job of another process, of which only the code was kept. */
function wordsFor(code: string): string {
  if (code === "interrupted") return say("something-was-cut-off-in");
  return say("it-stopped-before-its-end");
}

function wipeAll(value: unknown): void {
  if (value instanceof Uint8Array) wipe(value);
  else if (typeof value === "object" && value !== null) Object.values(value).forEach(wipeAll);
}
