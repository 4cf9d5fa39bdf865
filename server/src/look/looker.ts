import {
  type Disk,
  type FindHiddenInput,
  type LookRequest,
  type Looked,
  type Onlook,
  type ScanEnd,
  type ScanInput,
  type ScanProgress,
  findHidden,
  lookAtFolder,
  notAnswering,
  reviveBytes,
  scan,
} from "@eremos/core";
import { LookingProcess } from "./looking-process";
import { lookAsOthers } from "./onlook";
import { lookAtPlace } from "./place";
import type { FromLooker, OnlookAsked, PlaceAsked, PlaceLook, Question } from "./protocol";
import { withoutAnswer } from "./no-answer";
import type { DroppedFound } from "../contract";
import { type DroppedAsked, type SlotAsked, walkForDropped, walkForSlot } from "./walks";

type HiddenInput = Omit<FindHiddenInput, "disk">;
type Walk = Omit<ScanInput, "onFound">;

/** Who looks at disks for the operations. */
export interface Looker {
  /** What the disk says of each. Never rejects for what one of them lies on. */
  folders(request: LookRequest): Promise<readonly Looked[]>;
  /** Whether the last look at this folder got no answer, and none has come since. */
  isSilent(id: string): boolean;
  /** @throws EremosError `outside-places` | `not-found` | `no-permission` | `not-a-folder` | `no-answer` */
  place(asked: PlaceAsked): Promise<PlaceLook>;
  /** What others see at a place. @throws EremosError `outside-places` | `not-found` | `no-answer` */
  onlook(asked: OnlookAsked): Promise<Onlook>;
  /** Never rejects; where a disk gives no answer on the way, `complete` is false. */
  dropped(asked: DroppedAsked): Promise<DroppedFound>;
  /** Where a folder stands locked in view; null: nowhere that was come to. Never rejects. */
  slot(asked: SlotAsked): Promise<string | null>;
  /** Protected folders below some places. Rejects where it can't begin. */
  scan(input: ScanInput): Promise<ScanEnd>;
  /** What is hidden by other means. Rejects where it can't begin. */
  hidden(input: HiddenInput): Promise<ScanEnd>;
  /** Before anything else looks there: what these lie on answers. @throws EremosError `no-answer` */
  answers(paths: readonly string[]): Promise<void>;
  close(): void;
}

/** For a process in which nobody else waits: the command line. */
export class OwnLooker implements Looker {
  constructor(private readonly disk: Disk) {}

  async folders({ folders, mounts }: LookRequest): Promise<readonly Looked[]> {
    return folders.map((folder) => lookAtFolder(this.disk, folder, mounts));
  }

  isSilent(): boolean {
    return false;
  }

  async place(asked: PlaceAsked): Promise<PlaceLook> {
    return lookAtPlace(this.disk.looks, asked);
  }

  async onlook(asked: OnlookAsked): Promise<Onlook> {
    return lookAsOthers(this.disk.looks, asked);
  }

  dropped(asked: DroppedAsked): Promise<DroppedFound> {
    return walkForDropped(asked);
  }

  slot(asked: SlotAsked): Promise<string | null> {
    return walkForSlot(this.disk, asked);
  }

  scan(input: ScanInput): Promise<ScanEnd> {
    return scan(input);
  }

  hidden(input: HiddenInput): Promise<ScanEnd> {
    return findHidden({ ...input, disk: this.disk });
  }

  async answers(): Promise<void> {
    // Whoever waits for it is nobody else.
  }

  close(): void {
    // It has nothing of its own.
  }
}

/** So long one look may take before whoever waits for the others is answered without it. */
const PATIENCE_MS = 4000;
/** A walk comes to directories that take long to list, and to drives that have to spin up. */
const WALKS_WAIT = 10;
/**
 * Looks in processes of their own: one for the folders of the list, one for places. One that waits for a disk that does
 * not answer goes on waiting by itself, and another takes its place.
 */
export class AsideLooker implements Looker {
  private atFolders: LookingProcess | null = null;
  private atPlaces: LookingProcess | null = null;
  private isClosed = false;
  /** Whoever still waits for the disk on which this folder lies. */
  private readonly waiting = new Map<string, LookingProcess>();
  private readonly walking = new Set<LookingProcess>();
  private readonly lastWalk = new Map<Question["kind"], Promise<void>>();

  /** `program`: looker-main.ts, bundled; `answered`: what was waited for is there again. */
  constructor(
    private readonly program: string,
    private readonly identity: Uint8Array,
    private readonly answered: () => void,
    private readonly patience = PATIENCE_MS,
  ) {}

  async folders({ folders, mounts }: LookRequest): Promise<readonly Looked[]> {
    const looked = new Map<string, Looked>();
    const givenUp = new Set<string>();
    for (;;) {
      const left = folders.filter(({ id }) => !looked.has(id) && !givenUp.has(id) && !this.waiting.has(id));
      if (left.length === 0) break;
      const child = (this.atFolders = this.living(this.atFolders));
      const isDone = await child.ask({ kind: "folders", request: { folders: left, mounts } }, (message) => {
        if (message.kind === "looked") looked.set(message.looked.id, reviveBytes(message.looked));
      });
      if (isDone || this.isClosed) break;
      const { at } = child;
      this.leave(child);
      // It did not even begin: another would not, either.
      if (at === null) break;
      givenUp.add(at);
    }
    return folders.map((folder) => looked.get(folder.id) ?? notAnswering(folder));
  }

  /** The look at one folder does not end: who looks goes on alone, and tells when it has. */
  private leave(child: LookingProcess): void {
    if (this.atFolders !== child) return;
    this.atFolders = null;
    const { at } = child;
    if (at === null || child.isOver) return child.end();
    this.waiting.set(at, child);
    void child.over.then(() => {
      this.waiting.delete(at);
      this.answered();
    });
    child.endWhenDone();
  }

  isSilent(id: string): boolean {
    return this.waiting.has(id);
  }

  place(asked: PlaceAsked): Promise<PlaceLook> {
    return this.answerAtPlaces({ kind: "place", asked }, asked.typed, (message) =>
      message.kind === "place" ? message.place : null,
    );
  }

  onlook(asked: OnlookAsked): Promise<Onlook> {
    return this.answerAtPlaces({ kind: "onlook", asked }, asked.path, (message) =>
      message.kind === "onlooked" ? message.onlook : null,
    );
  }

  /** @throws EremosError `no-answer`, and what the look itself ends with */
  private async answerAtPlaces<T>(
    question: Question,
    at: string,
    answerIn: (message: FromLooker) => T | null,
  ): Promise<T> {
    const found: T[] = [];
    const isDone = await this.askAtPlaces(question, (message) => {
      const answer = answerIn(message);
      if (answer !== null) found.push(answer);
    });
    const [answer] = found;
    if (isDone && answer !== undefined) return answer;
    throw withoutAnswer(at);
  }

  async dropped(asked: DroppedAsked): Promise<DroppedFound> {
    const found: DroppedFound[] = [];
    await this.walk({ kind: "dropped", asked }, (message) => {
      if (message.kind === "dropped") found.push(message.found);
    });
    return found[0] ?? { paths: [], complete: false };
  }

  async slot(asked: SlotAsked): Promise<string | null> {
    const found: (string | null)[] = [];
    await this.walk({ kind: "slot", asked }, (message) => {
      if (message.kind === "slot") found.push(message.path);
    });
    return found[0] ?? null;
  }

  /**
   * By a process for this alone: it takes a while, and nobody else is to wait for it, but for the next walk of its kind,
   * however many are asked for.
   */
  private walk(question: Question, hears: (message: FromLooker) => void): Promise<void> {
    const turn = (this.lastWalk.get(question.kind) ?? Promise.resolve())
      .then(() => this.walkNow(question, hears))
      // What can't be walked through holds nothing that was looked for.
      .then(
        () => undefined,
        () => undefined,
      );
    this.lastWalk.set(question.kind, turn);
    return turn;
  }

  /** False where the disk gave no answer on the way, or it was ended by what was heard. */
  private async walkNow(question: Question, hears: (message: FromLooker, end: () => void) => void): Promise<boolean> {
    if (this.isClosed) return false;
    const child = new LookingProcess(this.program, this.identity, this.patience * WALKS_WAIT);
    this.walking.add(child);
    try {
      return await child.ask(question, (message) => hears(message, () => child.end()));
    } finally {
      this.walking.delete(child);
      child.end();
    }
  }

  scan({ onFound, ...walk }: ScanInput): Promise<ScanEnd> {
    return this.search("scan", walk, (message) => {
      if (message.kind === "scanned") onFound(message.found);
    });
  }

  hidden({ onFound, onScript, ...walk }: HiddenInput): Promise<ScanEnd> {
    return this.search("hidden", walk, (message) => {
      if (message.kind === "hidden") onFound(message.found);
      if (message.kind === "script") onScript(message.found);
    });
  }

  /** Where a disk gives no answer it ends there, and says at which directory. */
  private async search(
    kind: "scan" | "hidden",
    { places, isStopped, onProgress }: Walk,
    hears: (message: FromLooker) => void,
  ): Promise<ScanEnd> {
    let last: ScanProgress = { directories: 0, at: "" };
    const ends: ScanEnd[] = [];
    const isDone = await this.walkNow({ kind, places }, (message, end) => {
      if (message.kind === "end") ends.push(message.end);
      if (message.kind === "progress") onProgress((last = message.progress));
      hears(reviveBytes(message));
      if (isStopped()) end();
    });
    const [end] = ends;
    if (end) return end;
    const { directories, at } = last;
    return { directories, unreadable: isDone || isStopped() ? [] : [at], isStopped: isStopped() };
  }

  async answers(paths: readonly string[]): Promise<void> {
    for (const path of paths)
      if (!(await this.askAtPlaces({ kind: "answers", path }, () => undefined))) throw withoutAnswer(path);
  }

  /**
   * Whoever waits behind what does not answer is answered by another. False where this very question is the one without
   * an answer.
   */
  private async askAtPlaces(question: Question, hears: (message: FromLooker) => void): Promise<boolean> {
    for (;;) {
      const child = (this.atPlaces = this.living(this.atPlaces));
      let isAtIt = false;
      const isDone = await child.ask(question, (message) => {
        if (message.kind === "begun") isAtIt = true;
        else hears(message);
      });
      if (isDone) return true;
      if (this.atPlaces === child) this.atPlaces = null;
      child.end();
      if (isAtIt || !child.hasBegun || this.isClosed) return false;
    }
  }

  /** One that ended by itself, as by somebody's hand, is no disk that does not answer. */
  private living(child: LookingProcess | null): LookingProcess {
    return child && !child.isOver ? child : new LookingProcess(this.program, this.identity, this.patience);
  }

  close(): void {
    this.isClosed = true;
    for (const child of [this.atFolders, this.atPlaces, ...this.waiting.values(), ...this.walking]) child?.end();
    this.atFolders = this.atPlaces = null;
  }
}
