import { OWN_DIR_NAME, splitPath, within } from "../engine/ground";
import { ITEM, PAGE } from "../format/state";
import type { Dir, Disk } from "../platform/port";
import { type Permitted, R, type Subject, W, X, bitsFor, isAcl, mayTake, namedIn, readAcl } from "./rights";
import { say } from "@eremos/words/core/onlooker";

/** `partly`: in a weaker form, or some of it; the reason says which. */
export type Answer = "yes" | "partly" | "no";

/** What somebody may do with what is in a folder. */
export interface Allowed {
  readonly list: Answer;
  readonly read: Answer;
  readonly change: Answer;
  /** No file may be written, but others can be put in their places. */
  readonly onlyReplaces: boolean;
  readonly remove: Answer;
  /**
   * A directory at or above the folder's place out of which they can take the folder as a whole, and put another there.
   */
  readonly movesOutOf: string | null;
  /** The same, without knowing the folder's own name. */
  readonly movesAbove: string | null;
  readonly getsThrough: boolean;
  readonly listsPlace: boolean;
  /** Files that have a second name elsewhere, outside the folder, are within reach there. */
  readonly bySecondName: boolean;
  /** Something of it could not be looked at, or was not. */
  readonly isIncomplete: boolean;
  /** And that is within their reach. */
  readonly isUnsure: boolean;
}

interface Entry extends Permitted {
  readonly parent: Entry | null;
  readonly isDirectory: boolean;
  /** Eremos' own: not what the folder is about. */
  readonly isOurs: boolean;
  readonly holdsSomething: boolean;
  readonly isUnlisted: boolean;
}

interface Step extends Permitted {
  readonly path: string;
}

/** Far more than most folders hold; a walk of so many takes about a second. */
const MOST_LOOKED_AT = 100_000;

/** A folder and everything it lies in, as the permissions are on the disk now. */
export class Surroundings {
  private readonly above: readonly Step[];
  private readonly entries: Entry[] = [];
  private isCut = false;
  private readonly secondNames = new Map<string, number>();

  /**
   * `at`: the folder, or a single file, which is looked at together with the directory it lies in. @throws EremosError,
   * or the system's error, where it is gone
   */
  constructor(
    private readonly disk: Disk,
    at: string,
    private readonly mostLookedAt = MOST_LOOKED_AT,
  ) {
    const { parent, name } = splitPath(Buffer.from(at));
    const dir = within(disk, disk.openRoot(parent), (opened) => disk.stat(opened, name).type === "dir")
      ? at
      : parent.toString();
    const steps = stepsTo(disk, dir);
    this.above = dir === at ? steps.slice(0, -1) : steps;
    const top = steps.at(-1);
    if (top) this.walk(dir, top, dir === at ? null : name);
  }

  private walk(path: string, top: Permitted, only: Buffer | null): void {
    const visit = (
      dir: Dir,
      permitted: Permitted,
      parent: Entry | null,
      isOurs: boolean,
      names: readonly Buffer[] | null,
    ): void => {
      const self: Entry = {
        ...permitted,
        parent,
        isDirectory: true,
        isOurs,
        holdsSomething: names === null || names.length > 0,
        isUnlisted: names === null,
      };
      this.entries.push(self);
      for (const name of names ?? []) {
        const stat = this.disk.find(dir, name);
        if (!stat || stat.type === "link") continue;
        if (this.entries.length >= this.mostLookedAt) {
          this.isCut = true;
          return;
        }
        const below = { stat, acl: aclOf(this.disk, dir, name) };
        const ours =
          isOurs || name.equals(OWN_DIR_NAME) || (parent === null && [PAGE, ITEM].includes(name.toString("latin1")));
        if (stat.type === "dir")
          this.enter(
            dir,
            name,
            (opened, listed) => visit(opened, below, self, ours, listed),
            () =>
              this.entries.push({
                ...below,
                parent: self,
                isDirectory: true,
                isOurs: ours,
                holdsSomething: true,
                isUnlisted: true,
              }),
          );
        else {
          this.entries.push({
            ...below,
            parent: self,
            isDirectory: false,
            isOurs: ours,
            holdsSomething: false,
            isUnlisted: false,
          });
          if (stat.nlink > 1 && !ours)
            this.secondNames.set(inodeOf(stat), (this.secondNames.get(inodeOf(stat)) ?? 0) + 1);
        }
      }
    };
    const { parent, name } = splitPath(Buffer.from(path));
    within(this.disk, this.disk.openRoot(parent), (dir) => {
      this.enter(
        dir,
        name,
        (opened, listed) => visit(opened, top, null, false, only ? [only] : listed),
        () =>
          this.entries.push({
            ...top,
            parent: null,
            isDirectory: true,
            isOurs: false,
            holdsSomething: true,
            isUnlisted: true,
          }),
      );
    });
  }

  private enter(
    dir: Dir,
    name: Buffer,
    use: (opened: Dir, listed: readonly Buffer[]) => void,
    refused: () => void,
  ): void {
    let opened: Dir;
    try {
      opened = this.disk.openDir(dir, name);
    } catch {
      return refused();
    }
    within(this.disk, opened, () => use(opened, this.disk.list(opened)));
  }

  /** Everybody else on this computer whose permissions may differ here: the last is anybody. */
  others(own: number): Subject[] {
    const lists = this.disk.accounts();
    const uids = new Set<number>();
    const gids = new Set<number>();
    for (const named of [...this.above, ...this.entries].map(namedIn)) {
      for (const uid of named.uids) uids.add(uid);
      for (const gid of named.gids) gids.add(gid);
    }
    const isOther = (uid: number): boolean => uid !== own && uid !== 0;
    const other = lists.accounts.filter(({ uid }) => isOther(uid));
    const members = [...gids].filter((gid) => lists.isPartial || other.some((account) => account.gids.includes(gid)));
    const inGroup = members.map((gid) =>
      subject(-1, [gid], say("accounts-group", { group: lists.groupNames.get(gid) ?? gid })),
    );
    const known = new Map<string, Subject>();
    for (const { uid, gids: all, name } of other) {
      const relevant = all.filter((gid) => gids.has(gid));
      if (!uids.has(uid) && relevant.length < 2) continue;
      const key = `${uids.has(uid) ? uid : ""}/${relevant.sort((a, b) => a - b).join()}`;
      if (!known.has(key)) known.set(key, subject(uid, relevant, say("account", { name })));
    }
    const nameless = [...uids]
      .filter((uid) => isOther(uid) && !other.some((account) => account.uid === uid))
      .map((uid) => subject(uid, [], say("account-2", { uid })));
    return [...inGroup, ...known.values(), ...nameless, subject(-1, [], null)];
  }

  allowed(who: Subject): Allowed {
    const getsThrough = this.above.every((step) => (bitsFor(who, step) & X) !== 0);
    const effective = new Map<Entry, number>();
    for (const entry of this.entries) {
      const isReached = entry.parent ? ((effective.get(entry.parent) ?? 0) & X) !== 0 : getsThrough;
      effective.set(entry, isReached ? bitsFor(who, entry) : 0);
    }
    const has = (entry: Entry, bits: number): boolean => ((effective.get(entry) ?? 0) & bits) === bits;
    const contents = this.entries.filter((entry) => !entry.isOurs && entry.parent !== null);
    const files = contents.filter((entry) => !entry.isDirectory);
    const directories = this.entries.filter(
      (entry) => entry.isDirectory && !entry.isOurs && (entry.parent === null || entry.holdsSomething),
    );
    const mayRemove = (entry: Entry): boolean =>
      entry.parent !== null && has(entry.parent, W | X) && mayTake(who, entry.parent.stat, entry.stat);
    // What is Eremos' own stands for the contents where there is nothing else.
    const removable =
      contents.length > 0
        ? contents
        : this.entries.filter((entry) => entry.parent !== null && entry.parent.parent === null);
    const mayWrite = (entry: Entry): boolean => has(entry, W) && !entry.stat.isFrozen;
    return {
      list: share(directories, (directory) => has(directory, R)),
      read: share(files, (file) => has(file, R)),
      change: share(files, (file) => mayWrite(file) || mayRemove(file)),
      onlyReplaces: files.some(mayRemove) && !files.some(mayWrite),
      remove: share(removable, mayRemove),
      ...this.moves(who),
      getsThrough,
      listsPlace:
        this.above.slice(0, -1).every((step) => (bitsFor(who, step) & X) !== 0) &&
        this.above.slice(-1).every((step) => (bitsFor(who, step) & R) !== 0),
      bySecondName:
        !this.isCut &&
        files.some(
          ({ stat, acl }) =>
            stat.nlink > (this.secondNames.get(inodeOf(stat)) ?? stat.nlink) &&
            (bitsFor(who, { stat, acl }) & (R | W)) !== 0,
        ),
      isIncomplete: this.isCut || this.entries.some((entry) => entry.isUnlisted && !entry.isOurs),
      isUnsure:
        getsThrough &&
        ((this.isCut && this.entries.some((entry) => entry.isDirectory && has(entry, X))) ||
          this.entries.some((entry) => entry.isUnlisted && !entry.isOurs && has(entry, X))),
    };
  }

  /** The deepest directory out of which the folder, or a directory it lies in, can be taken. */
  private moves(who: Subject): Pick<Allowed, "movesOutOf" | "movesAbove"> {
    const [top] = this.entries;
    const below: readonly Permitted[] = [
      ...this.above.slice(1),
      ...(top && !this.above.some(({ stat }) => inodeOf(stat) === inodeOf(top.stat)) ? [top] : []),
    ];
    let through = true;
    const found: string[] = [];
    let isOwnPlace = false;
    this.above.forEach((step, i) => {
      const next = below[i];
      const bits = through ? bitsFor(who, step) : 0;
      through = (bits & X) !== 0;
      if (!next || (bits & (W | X)) !== (W | X) || !mayTake(who, step.stat, next.stat)) return;
      found.push(step.path);
      isOwnPlace ||= next === top;
    });
    return { movesOutOf: found.at(-1) ?? null, movesAbove: (isOwnPlace ? found.at(-2) : found.at(-1)) ?? null };
  }

  /** This account itself, with what it may now; it reaches what it has found. */
  own(): Allowed {
    const may = this.allowed({
      uid: process.geteuid?.() ?? 0,
      gids: new Set([...(process.getgroups?.() ?? []), process.getegid?.() ?? 0]),
      name: null,
      takesRights: false,
    });
    // What could not be looked at was refused to this account.
    return { ...may, isUnsure: this.isCut && may.isUnsure };
  }
}

function subject(uid: number, gids: readonly number[], name: string | null): Subject {
  return { uid, gids: new Set(gids), name, takesRights: true };
}

function inodeOf({ dev, ino }: Permitted["stat"]): string {
  return `${dev}/${ino}`;
}

function aclOf(disk: Disk, dir: Dir, name: Buffer): Permitted["acl"] {
  try {
    return readAcl(disk.linkXattrs(dir, name).find(isAcl)?.value);
  } catch {
    return null;
  }
}

/** Every directory on the way, the first is `/`, the last the one itself. */
function stepsTo(disk: Disk, path: string): Step[] {
  const root = disk.openRoot(Buffer.from("/"));
  const opened = [root];
  try {
    const steps: Step[] = [{ path: "/", stat: disk.statOpen(root), acl: null }];
    let dir = root;
    let at = "";
    for (const part of path.split("/").filter((name) => name !== "")) {
      const name = Buffer.from(part);
      at += `/${part}`;
      steps.push({ path: at, stat: disk.stat(dir, name), acl: aclOf(disk, dir, name) });
      dir = disk.enterDir(dir, name);
      opened.push(dir);
    }
    return steps;
  } finally {
    for (const dir of opened) disk.closeDir(dir);
  }
}

function share(entries: readonly Entry[], may: (entry: Entry) => boolean): Answer {
  const count = entries.filter(may).length;
  if (count === 0) return "no";
  return count === entries.length ? "yes" : "partly";
}
