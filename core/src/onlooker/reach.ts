import * as fs from "node:fs";
import type { Guard, Inspection } from "../engine/recover";
import { isLocked } from "../engine/recover";
import { within } from "../engine/handles";
import { NAMES, PAGE_NAME, VAULT_NAME, splitPath } from "../engine/vault";
import { linuxDisk } from "../platform/linux/linux-disk";

/**
 * Who could still get at a folder, and how far: for each kind of somebody five answers, each with its reason. They rest on facts read
 * from the disk now: owners, permissions, access lists, where it lies and under which name, and whether it is encrypted.
 */
export const REACH_KINDS = ["keyboard", "keyboard-hidden-shown", "account", "administrator", "disk", "provider"] as const;
export type ReachKind = (typeof REACH_KINDS)[number];

/** `partly`: in a weaker form, or some of it; the reason says which. */
export type Answer = "yes" | "partly" | "no";

export interface Cell {
  readonly answer: Answer;
  readonly reason: string;
}

export interface Reach {
  readonly kind: ReachKind;
  /** Sees that this folder is there. */
  readonly exists: Cell;
  /** Sees the names of what is in it. */
  readonly names: Cell;
  readonly reads: Cell;
  /** Changes files in it so that the owner gets the change. */
  readonly changes: Cell;
  /** Deletes something of it. */
  readonly deletes: Cell;
}

export interface ReachInput {
  /** Where it is now. */
  readonly realPath: string;
  readonly inspection: Pick<Inspection, "guard" | "state" | "visibility" | "lockedName">;
  /** The synced directory it lies in, or null. */
  readonly synced: string | null;
  /** The owner is signed in: the keys are in this computer's memory. */
  readonly signedIn: boolean;
  /** The owner stays signed in: the key that opens it lies in a file of this account. */
  readonly stays: boolean;
}

const VAULT = VAULT_NAME.toString();
const PAGE = PAGE_NAME.toString();
/** Entries looked at below the folder; what they allow stands for the rest. */
const MOST_LOOKED_AT = 2000;

/** Reads the facts and answers for each kind. The reasons are whole sentences. */
export function reachOf(input: ReachInput): Reach[] {
  const facts = factsOf(input);
  return [atKeyboard(facts, false), atKeyboard(facts, true), otherAccount(facts), administrator(facts), holdingDisk(facts), provider(facts)];
}

interface Allowed {
  readonly read: Answer;
  readonly change: Answer;
  readonly list: Answer;
  readonly remove: Answer;
}

interface Facts extends ReachInput {
  readonly guard: Guard;
  readonly locked: boolean;
  readonly sealed: boolean;
  readonly hidden: boolean;
  /** A drive that hides: it is seen, and looks empty. */
  readonly emptied: boolean;
  readonly own: Allowed;
  readonly others: Allowed;
  /** Accounts of its group, or that an access list names, where there are such. */
  readonly group: Allowed;
  /** Whether others get to the directory it lies in, and may list it. */
  readonly othersReach: boolean;
  readonly othersList: boolean;
}

function factsOf(input: ReachInput): Facts {
  const { inspection, realPath } = input;
  const locked = isLocked(inspection);
  const inside = `${realPath}/${VAULT}/${NAMES.contents.toString()}`;
  // A drive that looks empty has its contents in a directory that is its owner's alone.
  const at = fs.existsSync(inside) ? inside : realPath;
  const entries = lookInto(at);
  const parent = at.slice(0, Math.max(1, at.lastIndexOf("/")));
  const ancestors = directoriesTo(parent);
  const othersReach = ancestors.every((directory) => bitsForOthers(directory) & X);
  const groupReach = ancestors.every((directory) => bitsForGroup(directory) & X);
  return {
    ...input, guard: inspection.guard, locked, sealed: locked && inspection.guard === "sealed", hidden: locked && inspection.visibility !== "view" && inspection.lockedName !== null,
    emptied: locked && inspection.visibility !== "view" && inspection.lockedName === null,
    own: allowed(entries, (entry, bits) => (entry.forThis & bits) === bits),
    others: othersReach ? allowed(entries, (entry, bits) => (entry.forOthers & bits) === bits) : NOTHING,
    group: groupReach ? allowed(entries, (entry, bits) => (entry.forGroup & bits) === bits) : NOTHING,
    othersReach, othersList: othersReach && (bitsForOthers(parent) & R) !== 0,
  };
}

const R = 4;
const W = 2;
const X = 1;
const NOTHING: Allowed = { read: "no", change: "no", list: "no", remove: "no" };

interface Looked {
  readonly path: string;
  readonly isDirectory: boolean;
  /** What the permissions allow this account, and any other; nothing where a directory on the way lets it not through. */
  readonly forThis: number;
  readonly forOthers: number;
  readonly forGroup: number;
  readonly isOurs: boolean;
  readonly isTop: boolean;
  /** A directory with something in it. */
  readonly holdsSomething: boolean;
}

/** The folder and what is in it, or a single file and the directory it lies in, as far as this account may look. */
function lookInto(root: string): Looked[] {
  const found: Looked[] = [];
  const visit = (path: string, reached: { readonly byThis: boolean; readonly byOthers: boolean; readonly byGroup: boolean }, isOurs: boolean, isTop: boolean): void => {
    const stat = fs.lstatSync(path, { throwIfNoEntry: false });
    if (!stat || stat.isSymbolicLink() || found.length >= MOST_LOOKED_AT) return;
    const forThis = reached.byThis ? bitsForThis(stat) : 0;
    const forOthers = reached.byOthers ? stat.mode & 7 : 0;
    const forGroup = reached.byGroup ? bitsForGroup(path) : 0;
    const below = { byThis: (forThis & X) !== 0, byOthers: (forOthers & X) !== 0, byGroup: (forGroup & X) !== 0 };
    const names = stat.isDirectory() ? namesIn(path) : [];
    found.push({ path, isDirectory: stat.isDirectory(), forThis, forOthers, forGroup, isOurs, isTop, holdsSomething: names === null || names.length > 0 });
    for (const name of names ?? []) visit(`${path}/${name}`, below, isOurs || name === VAULT || (path === root && name === PAGE), false);
  };
  if (fs.lstatSync(root, { throwIfNoEntry: false })?.isFile()) {
    // A single file lies in a directory like anything in a folder.
    const directory = root.slice(0, Math.max(1, root.lastIndexOf("/")));
    const stat = fs.statSync(directory);
    const top = { path: directory, isDirectory: true, forThis: bitsForThis(stat), forOthers: stat.mode & 7, forGroup: bitsForGroup(directory), isOurs: false, isTop: true, holdsSomething: true };
    found.push(top);
    visit(root, { byThis: (top.forThis & X) !== 0, byOthers: (top.forOthers & X) !== 0, byGroup: (top.forGroup & X) !== 0 }, false, false);
    return found;
  }
  visit(root, { byThis: true, byOthers: true, byGroup: true }, false, true);
  return found;
}

/** Null where this account may not list. */
function namesIn(directory: string): string[] | null {
  try {
    return fs.readdirSync(directory);
  } catch {
    return null;
  }
}

/** What any account that is neither the owner nor of its group, nor named in an access list, may: the mode's last three bits. */
function bitsForOthers(path: string): number {
  try {
    return fs.statSync(path).mode & 7;
  } catch {
    return 0;
  }
}

/** The most that an account of the entry's group, or one named in its access list, may: the group's bits bound both. */
function bitsForGroup(path: string): number {
  try {
    const { mode, gid, uid } = fs.statSync(path);
    return hasAccessList(path) || hasOtherMembers(gid, uid) ? ((mode >> 3) & 7) | (mode & 7) : mode & 7;
  } catch {
    return 0;
  }
}

function hasAccessList(path: string): boolean {
  try {
    const { parent, name } = splitPath(Buffer.from(path));
    return within(linuxDisk, linuxDisk.openRoot(parent), (dir) => linuxDisk.linkXattrs(dir, name).some((attribute) => attribute.name.toString() === "system.posix_acl_access"));
  } catch {
    return false;
  }
}

/** Whether a group has another account in it than this one, by the system's own lists. */
function hasOtherMembers(gid: number, uid: number): boolean {
  const lines = (file: string): string[][] => fs.readFileSync(file, "utf8").split("\n").map((line) => line.split(":"));
  const isPrimaryOfAnother = lines("/etc/passwd").some(([, , account, group]) => Number(group) === gid && Number(account) !== uid);
  return isPrimaryOfAnother || lines("/etc/group").some(([, , group, members]) => Number(group) === gid && Boolean(members));
}

function bitsForThis({ uid, mode }: fs.Stats): number {
  const account = process.geteuid?.() ?? -1;
  if (account === 0) return R | W | X;
  return uid === account ? (mode >> 6) & 7 : mode & 7;
}

type May = (entry: Looked, bits: number) => boolean;

function allowed(entries: readonly Looked[], may: May): Allowed {
  const contents = entries.filter((entry) => !entry.isOurs && !entry.isTop);
  const files = contents.filter((entry) => !entry.isDirectory);
  const [top] = entries;
  const directories = entries.filter((entry) => entry.isDirectory && entry.holdsSomething && !entry.isOurs);
  return {
    list: top && may(top, R) ? "yes" : "no",
    read: share(files, (file) => may(file, R)),
    change: share(files, (file) => may(file, W)),
    remove: share(directories, (directory) => may(directory, W | X)),
  };
}

function share(entries: readonly Looked[], may: (entry: Looked) => boolean): Answer {
  const count = entries.filter(may).length;
  if (count === 0) return "no";
  return count === entries.length ? "yes" : "partly";
}

function directoriesTo(path: string): string[] {
  const parts = path.split("/").filter((part) => part !== "");
  return ["/", ...parts.map((_part, i) => `/${parts.slice(0, i + 1).join("/")}`)];
}

const yes = (reason: string): Cell => ({ answer: "yes", reason });
const no = (reason: string): Cell => ({ answer: "no", reason });
const partly = (reason: string): Cell => ({ answer: "partly", reason });

const ENCRYPTED = "What is in it is encrypted, its names too.";
const UNNOTICED = "Any change to the encrypted data is noticed at the next opening, and refused.";

/** The same answer to everything but whether it is there. */
function everything(kind: ReachKind, exists: Cell, rest: Cell): Reach {
  return { kind, exists, names: rest, reads: rest, changes: rest, deletes: rest };
}

function cell(answer: Answer, reasons: Readonly<Record<Answer, string>>): Cell {
  return { answer, reason: reasons[answer] };
}

const READ_REASONS = { yes: "The permissions allow it.", partly: "The permissions allow it for some of the files.", no: "The system refuses: no file in it may be read." };
const CHANGE_REASONS = { yes: "The permissions allow it.", partly: "The permissions allow it for some of the files.", no: "The system refuses: no file in it may be written." };
const REMOVE_REASONS = { yes: "The permissions allow it.", partly: "The permissions allow it in some of its directories.", no: "The system refuses: nothing may be taken out of it." };
const LIST_REASONS = { yes: "The permissions allow listing it.", partly: "The permissions allow listing some of it.", no: "The system refuses to list it." };

function contentsFor(facts: Facts, may: Allowed): Pick<Reach, "names" | "reads" | "changes" | "deletes"> {
  const deletes = cell(facts.sealed && may === facts.own ? "yes" : may.remove, REMOVE_REASONS);
  if (facts.sealed && facts.stays && may === facts.own) return { names: STAYING, reads: STAYING, changes: STAYING, deletes };
  if (facts.sealed) return { names: no(ENCRYPTED), reads: no(ENCRYPTED), changes: no(UNNOTICED), deletes };
  return { names: cell(may.list, LIST_REASONS), reads: cell(may.read, READ_REASONS), changes: cell(may.change, CHANGE_REASONS), deletes };
}

const STAYING = partly("Not from the files. But Eremos stays signed in on this account: whoever uses it can open the folder.");
const KEY_BESIDE = "You stay signed in: the key lies in a file of this account, on this computer.";
const NAMELESS = "Only a folder with a random name, which says nothing.";

/** That it is there, for somebody who sees what stands in the directory it lies in. */
function seen({ hidden, emptied, locked, inspection }: Facts, why: string): Cell {
  if (emptied) return partly("The drive is there, and looks empty.");
  if (hidden) return partly(NAMELESS);
  return locked && inspection.lockedName !== null ? partly(`It stands there as ${inspection.lockedName}; its own name is nowhere.`) : yes(why);
}

function atKeyboard(facts: Facts, showsHidden: boolean): Reach {
  const kind = showsHidden ? "keyboard-hidden-shown" : "keyboard";
  if (facts.emptied && !showsHidden) {
    const rest = no("The desktop leaves out what its contents lie under.");
    return { ...everything(kind, rest, rest), exists: seen(facts, "") };
  }
  if (facts.hidden && !showsHidden) return everything(kind, no("The desktop leaves out what it lies under."), no("It is not seen, so it is not found."));
  const where = facts.inspection.visibility === "tucked" ? `${NAMELESS} It lies in a hidden directory further up.` : NAMELESS;
  return { kind, exists: facts.hidden ? partly(where) : seen(facts, "Its name stands at its place."), ...contentsFor(facts, facts.own) };
}

function otherAccount(facts: Facts): Reach {
  const kind = "account";
  if (!facts.othersReach) return everything(kind, no("A directory above it lets no other account through."), no("A directory above it lets no other account through."));
  if (!facts.othersList && facts.hidden) return everything(kind, no("The directory it lies in may not be listed by others, and its name can't be guessed."), no("Its name can't be guessed."));
  const named = facts.othersList ? seen(facts, "Others may list the directory it lies in.") : partly("Only whoever knows its name: others may not list the directory it lies in.");
  const cells = contentsFor(facts, facts.others);
  const ofGroup = contentsFor(facts, facts.group);
  return {
    kind, exists: facts.hidden ? partly(NAMELESS) : named, names: orGroup(cells.names, ofGroup.names), reads: orGroup(cells.reads, ofGroup.reads),
    changes: orGroup(cells.changes, ofGroup.changes), deletes: orGroup(cells.deletes, ofGroup.deletes),
  };
}

function orGroup(anyone: Cell, ofGroup: Cell): Cell {
  return anyone.answer === "no" && ofGroup.answer !== "no" ? partly("Only an account of its group, or one that its access list names.") : anyone;
}

function administrator(facts: Facts): Reach {
  const kind = "administrator";
  const exists = seen(facts, "An administrator may list everything.");
  const anything = yes("Permissions don't stop an administrator.");
  if (!facts.sealed) {
    const reads = facts.locked ? anything : yes("It lies open: nothing stops an administrator of a running computer.");
    return { kind, exists, names: anything, reads, changes: anything, deletes: anything };
  }
  if (facts.stays) {
    const all = yes(`${KEY_BESIDE} An administrator can read it.`);
    return { kind, exists, names: all, reads: all, changes: all, deletes: yes("An administrator can delete the encrypted data; keep a copy elsewhere.") };
  }
  const reads = facts.signedIn ? partly("Not from the disk. But while you are signed in, the keys are in this computer's memory, and an administrator can read that.") : no(ENCRYPTED);
  return { kind, exists, names: reads, reads, changes: no(UNNOTICED), deletes: yes("An administrator can delete the encrypted data; keep a copy elsewhere.") };
}

function holdingDisk(facts: Facts): Reach {
  const kind = "disk";
  const exists = seen(facts, "Names of folders are not encrypted.");
  const deletes = yes("Whoever holds the disk can erase it; keep a copy elsewhere.");
  if (facts.sealed && facts.stays) {
    const all = partly(`${KEY_BESIDE} Whoever holds the disk that your account's files are on has it too.`);
    return { kind, exists, names: all, reads: all, changes: all, deletes };
  }
  if (facts.sealed) return { kind, exists, names: no(ENCRYPTED), reads: no(ENCRYPTED), changes: no(UNNOTICED), deletes };
  const readable = yes(facts.locked ? "It is not encrypted, and permissions mean nothing on another computer." : "It lies open, readable on the disk.");
  return { kind, exists, names: readable, reads: readable, changes: readable, deletes };
}

function provider(facts: Facts): Reach {
  const kind = "provider";
  const { synced } = facts;
  if (synced === null) return everything(kind, no("It lies in no synced directory that Eremos knows of."), no("It lies in no synced directory that Eremos knows of."));
  const exists = seen(facts, `It lies in ${synced}, which is uploaded.`);
  const deletes = yes("The provider keeps the copies, and can delete them.");
  if (!facts.sealed) {
    const all = yes(`What lies in ${synced} is uploaded as it is.`);
    return { kind, exists, names: all, reads: all, changes: all, deletes };
  }
  const earlier = partly("What is uploaded now is encrypted. But a provider may still have what was uploaded before it was locked, or while it lay open.");
  return { kind, exists, names: earlier, reads: earlier, changes: no(UNNOTICED), deletes };
}
