import {
  type Committed,
  type DirNode,
  type Drop,
  type EarlierState,
  EremosError,
  type Node,
  type Upload,
  type Visit,
  fromSystemError,
  isEremosError,
  isWithin,
} from "@eremos/core";
import { Since } from "../steady-clock";
import type { Path } from "./hrefs";
import { said } from "@eremos/words/server/visit";

/** Where something is, or could be: its directory, its name there, and what is there now. */
export interface Spot {
  readonly parent: DirNode;
  readonly name: Buffer;
  readonly node: Node | null;
}

/** From where it lies to where there is nothing, or something that goes. */
export interface Move {
  readonly from: Spot;
  readonly to: Spot;
}

/** Stands for everything that was put in and can't be read, which can only be discarded. */
export const UNREADABLE = "unreadable";

/** Puts changes that come close together into one generation. */
const TOGETHER_MS = 2;

/**
 * A visited folder by paths. Every change is durable when its promise is kept; where it can't be made durable, none of
 * those made with it is.
 */
export class VisitedFolder {
  private waiting: { readonly resolve: () => void; readonly reject: (error: EremosError) => void }[] = [];
  private readonly uploads = new Set<Upload>();
  private readonly seen = new Set<Node>();
  /** How long nobody has used it. */
  unused = new Since();

  constructor(
    private readonly visit: Visit,
    private readonly onCommit: (committed: Committed, undoable: number) => void,
  ) {}

  /** Somebody uses it now. */
  used(): void {
    this.unused = new Since();
  }

  get committed(): Committed {
    return this.visit.committed;
  }

  get undoable(): number {
    return this.visit.undoable;
  }

  get root(): DirNode {
    return this.visit.root;
  }

  find(path: Path): Node | null {
    return reading(() => this.visit.find(path));
  }

  list(dir: DirNode): readonly Node[] {
    return reading(() => this.visit.list(dir));
  }

  /** Null where there is no such directory, and for the folder itself. */
  spot(path: Path): Spot | null {
    const name = path.at(-1);
    const parent = name ? this.find(path.slice(0, -1)) : null;
    if (!name || parent?.kind !== "dir") return null;
    return { parent, name, node: reading(() => this.visit.child(parent, name)) };
  }

  /** How many of its files somebody has looked into. */
  get looked(): number {
    return this.seen.size;
  }

  read(file: Node, position: number, into: Buffer): number {
    if (file.kind !== "file") throw new EremosError("usage", said("that-is-no-file"));
    this.seen.add(file);
    return reading(() => this.visit.read(file, position, into));
  }

  private change(make: () => void): Promise<void> {
    try {
      make();
    } catch (error) {
      const told = fromSystemError(error, said("changing-folder-it-is-as"));
      // Refusals come before anything is changed; anything else may have stopped half way.
      if (!isEremosError(error)) this.giveUp(told);
      return Promise.reject(told);
    }
    return this.commitSoon();
  }

  private giveUp(error: EremosError): void {
    this.visit.forgetChanges();
    for (const { reject } of this.waiting.splice(0)) reject(error);
  }

  private commitSoon(): Promise<void> {
    if (this.waiting.length === 0) setTimeout(() => this.commitNow(), TOGETHER_MS);
    return new Promise((resolve, reject) => this.waiting.push({ resolve, reject }));
  }

  private commitNow(): void {
    const waiting = this.waiting.splice(0);
    try {
      this.visit.commit();
      this.onCommit(this.visit.committed, this.visit.undoable);
      for (const { resolve } of waiting) resolve();
    } catch (error) {
      for (const { reject } of waiting) reject(fromSystemError(error, said("making-change-folder-is-as")));
    }
  }

  makeDir({ parent, name }: Spot): Promise<void> {
    return this.change(() => void this.visit.makeDir(parent, name));
  }

  remove(...spots: readonly Spot[]): Promise<void> {
    return this.change(() => {
      for (const { parent, name } of spots) this.visit.remove(parent, name);
    });
  }

  /** All, or none. What is at a new place goes. */
  move(moves: readonly Move[]): Promise<void> {
    return this.change(() => {
      requireAllApart(moves);
      for (const { from, to } of moves) {
        if (to.node) this.visit.remove(to.parent, to.name);
        this.visit.move(from.parent, from.name, to.parent, to.name);
      }
    });
  }

  /** `from` is where it lies. */
  copy(node: Node, from: DirNode, to: Spot, isShallow: boolean): Promise<void> {
    return this.change(() => {
      requireApart(node, from, to);
      if (to.node) this.visit.remove(to.parent, to.name);
      if (node.kind === "dir" && isShallow) this.visit.copyShallow(node, to.parent, to.name);
      else this.visit.copy(node, to.parent, to.name);
    });
  }

  undo(): Promise<void> {
    return this.change(() => {
      this.visit.undo();
      this.onCommit(this.visit.committed, this.visit.undoable);
    });
  }

  /** Begins writing a file; end it by {@link finish} or {@link abort}. */
  begin(path: Path, length: number | null): Upload {
    const name = path.at(-1);
    if (!name) throw new EremosError("usage", said("folder-itself-cant-be-replaced"));
    const upload = reading(() => this.visit.write(path.slice(0, -1), name, length));
    this.uploads.add(upload);
    return upload;
  }

  /** @throws EremosError `not-found` where its directory is gone meanwhile */
  finish(upload: Upload, path: Path): Promise<void> {
    return this.change(() => {
      const spot = this.spot(path);
      if (!spot) throw new EremosError("not-found", said("folder-it-belongs-into-is"));
      this.visit.add(spot.parent, upload.finish());
      this.uploads.delete(upload);
    });
  }

  abort(upload: Upload): void {
    this.uploads.delete(upload);
    try {
      upload.abort();
    } catch {
      // Nothing refers to it; the end of the visit removes it.
    }
  }

  /** What was put in while the folder could not be opened. */
  async arrivals(): Promise<{
    readonly drops: readonly Pick<Drop, "id" | "path" | "size" | "at">[];
    readonly unreadable: number;
  }> {
    const drops = await this.visit.arrivals();
    for (const drop of drops) drop.close();
    return {
      drops: drops.map(({ id, path, size, at }) => ({ id, path, size, at })),
      unreadable: reading(() => this.visit.unreadableArrivals(drops, false)),
    };
  }

  /** Merges what arrived, or throws it away; both only what is named. */
  async decideOnArrivals(ids: readonly string[], isWanted: boolean): Promise<void> {
    const drops = await this.visit.arrivals();
    const chosen = drops.filter(({ id }) => ids.includes(id));
    try {
      if (isWanted)
        await this.change(() => {
          for (const drop of chosen) this.visit.takeIn(drop);
        });
      for (const drop of chosen) drop.remove();
      if (!isWanted && ids.includes(UNREADABLE)) this.visit.unreadableArrivals(drops, true);
    } finally {
      for (const drop of drops) drop.close();
    }
  }

  earlier(): readonly EarlierState[] {
    return reading(() => this.visit.earlier());
  }

  changesSince(generation: number, most: number): ReturnType<Visit["changesSince"]> {
    return reading(() => this.visit.changesSince(generation, most));
  }

  putBack(generation: number, paths: readonly Path[] | null): Promise<void> {
    return this.change(() => this.visit.putBack(generation, paths));
  }

  close(): Committed {
    for (const upload of [...this.uploads]) this.abort(upload);
    if (this.waiting.length > 0) this.commitNow();
    this.visit.close();
    return this.visit.committed;
  }
}

function reading<T>(read: () => T): T {
  try {
    return read();
  } catch (error) {
    throw fromSystemError(error, said("reading-sealed-folder-nothing-was"));
  }
}

/** Nothing goes into itself, nor into what goes along with it. */
function requireAllApart(moves: readonly Move[]): void {
  const moving = new Set<Node>(moves.flatMap(({ from }) => (from.node ? [from.node] : [])));
  for (const parent of new Set(moves.map(({ to }) => to.parent)))
    for (let around: DirNode | null = parent; around; around = around.parent)
      if (moving.has(around)) throw new EremosError("usage", said("folder-cant-be-put-into"));
  for (const { from, to } of moves) if (from.node) requireApart(from.node, from.parent, to);
}

/** Nothing goes into itself, and nothing takes the place of a directory it lies in. */
function requireApart(node: Node, parent: DirNode, to: Spot): void {
  if (isWithin(to.parent, node)) throw new EremosError("usage", said("folder-cant-be-put-into"));
  if (to.node && isWithin(parent, to.node)) throw new EremosError("usage", said("folder-cant-be-replaced-by"));
}
