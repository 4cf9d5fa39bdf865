import { type Inspection, guardNamed, isLocked } from "../engine/guards";
import type { ReachKind } from "../format/choices";
import type { Disk } from "../platform/port";
import { type Allowed, type Answer, Surroundings } from "./surroundings";
import { say } from "@eremos/words/core/onlooker";

interface Cell {
  readonly answer: Answer;
  readonly reason: string;
}

/**
 * Who could still get at a folder, and how far: for each kind of somebody five answers, each with its reason. They rest
 * on facts read from the disk now: owners, permissions, access lists, where it lies and under which name, and whether
 * it is encrypted.
 */
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
  /** How many entries are looked at; what is not looked at is told as "partly" to whoever gets there. */
  readonly mostLookedAt?: number;
}

/** Reads the facts and answers for each kind. The reasons are whole sentences. */
export function reachOf(disk: Disk, input: ReachInput): Reach[] {
  const facts = factsOf(disk, input);
  return [
    atKeyboard(facts, false),
    atKeyboard(facts, true),
    otherAccount(facts),
    administrator(facts),
    holdingDisk(facts),
    provider(facts),
  ];
}

interface Facts extends ReachInput {
  readonly locked: boolean;
  readonly sealed: boolean;
  readonly hidden: boolean;
  /** A drive that hides: it is seen, and looks empty. */
  readonly emptied: boolean;
  readonly own: Allowed;
  /** Anybody else. */
  readonly anybody: Allowed;
  /** Those whom the permissions of something here name, by group or by themselves. */
  readonly named: readonly { readonly name: string; readonly may: Allowed }[];
}

function factsOf(disk: Disk, input: ReachInput): Facts {
  const { inspection, realPath } = input;
  const locked = isLocked(inspection);
  const { at, isEncrypted } = guardNamed(inspection.guard).reach(disk, realPath, inspection);
  const around = new Surroundings(disk, at, input.mostLookedAt);
  const others = around.others(process.geteuid?.() ?? 0).map((who) => ({ who, may: around.allowed(who) }));
  const own = around.own();
  return {
    ...input,
    locked,
    sealed: isEncrypted,
    hidden: locked && inspection.visibility !== "view" && inspection.lockedName !== null,
    emptied: locked && inspection.visibility !== "view" && inspection.lockedName === null,
    own,
    anybody: others.find(({ who }) => who.name === null)?.may ?? own,
    named: others.flatMap(({ who, may }) => (who.name === null ? [] : [{ name: who.name, may }])),
  };
}

const yes = (reason: string): Cell => ({ answer: "yes", reason });
const no = (reason: string): Cell => ({ answer: "no", reason });
const partly = (reason: string): Cell => ({ answer: "partly", reason });

const ENCRYPTED = say("what-is-in-it-is");
const UNNOTICED = say("any-change-encrypted-data-is");

/** The same answer to everything but whether it is there. */
function everything(kind: ReachKind, exists: Cell, rest: Cell): Reach {
  return { kind, exists, names: rest, reads: rest, changes: rest, deletes: rest };
}

function cell(answer: Answer, reasons: Readonly<Record<Answer, string>>): Cell {
  return { answer, reason: reasons[answer] };
}

const READ_REASONS = {
  yes: say("permissions-allow-it"),
  partly: say("permissions-allow-it-for-some"),
  no: say("system-refuses-no-file-in"),
};
const CHANGE_REASONS = {
  yes: say("permissions-allow-it"),
  partly: say("permissions-allow-it-for-some"),
  no: say("system-refuses-no-file-in-it"),
};
const REPLACE_REASONS = {
  yes: say("no-file-in-it-may"),
  partly: say("no-file-in-it-may-be"),
  no: CHANGE_REASONS.no,
};
const REMOVE_REASONS = {
  yes: say("permissions-allow-it"),
  partly: say("permissions-allow-it-in-some"),
  no: say("system-refuses-nothing-may-be"),
};
const LIST_REASONS = {
  yes: say("permissions-allow-listing-it"),
  partly: say("permissions-allow-listing-some-it"),
  no: say("system-refuses-list-it"),
};

function contentsFor(facts: Facts, may: Allowed): Pick<Reach, "names" | "reads" | "changes" | "deletes"> {
  const deletes = takenAway(
    facts.sealed && may === facts.own ? yes(REMOVE_REASONS.yes) : unsure(may, cell(may.remove, REMOVE_REASONS)),
    may,
    facts,
  );
  if (facts.sealed && facts.stays && may === facts.own)
    return { names: STAYING, reads: STAYING, changes: STAYING, deletes };
  if (facts.sealed) return { names: no(ENCRYPTED), reads: no(ENCRYPTED), changes: no(UNNOTICED), deletes };
  const replaced = may !== facts.own && may.movesOutOf !== null ? partly(replacing(may.movesOutOf)) : null;
  const changes = cell(may.change, may.onlyReplaces ? REPLACE_REASONS : CHANGE_REASONS);
  return {
    names: unsure(may, cell(may.list, LIST_REASONS)),
    reads: secondName(may, unsure(may, cell(may.read, READ_REASONS))),
    changes: changes.answer === "no" && replaced ? replaced : secondName(may, unsure(may, changes)),
    deletes,
  };
}

/** What was not looked at is no "no", and no "yes". */
function unsure(may: Allowed, looked: Cell): Cell {
  if (looked.answer === "no" && may.isUnsure) return partly(say("nothing-that-was-looked-at"));
  return looked.answer === "yes" && may.isIncomplete ? partly(say("all-that-was-looked-at")) : looked;
}

function secondName(may: Allowed, looked: Cell): Cell {
  return looked.answer === "no" && may.bySecondName ? partly(say("some-its-files-have-second")) : looked;
}

function takenAway(looked: Cell, may: Allowed, facts: Facts): Cell {
  return looked.answer === "no" && may !== facts.own && may.movesOutOf !== null
    ? partly(say("not-singly-but-all-it", { movesOutOf: may.movesOutOf }))
    : looked;
}

const STAYING = partly(say("not-from-files-but-eremos"));
const KEY_BESIDE = say("you-stay-signed-in-key");
const NAMELESS = say("only-folder-with-random-name");

/** That it is there, for somebody who sees what stands in the directory it lies in. */
function seen({ hidden, emptied, locked, inspection }: Facts, why: string): Cell {
  if (emptied) return partly(say("drive-is-there-and-looks"));
  if (hidden) return partly(NAMELESS);
  return locked && inspection.lockedName !== null
    ? partly(say("it-stands-there-as-its", { lockedName: inspection.lockedName }))
    : yes(why);
}

function atKeyboard(facts: Facts, showsHidden: boolean): Reach {
  const kind = showsHidden ? "keyboard-hidden-shown" : "keyboard";
  if (facts.emptied && !showsHidden) {
    const rest = no(say("desktop-leaves-out-what-its"));
    return { ...everything(kind, rest, rest), exists: seen(facts, "") };
  }
  if (facts.hidden && !showsHidden)
    return everything(kind, no(say("desktop-leaves-out-what-it")), no(say("it-is-not-seen-so")));
  const where =
    facts.inspection.visibility === "tucked" ? say("it-lies-in-hidden-directory", { nameless: NAMELESS }) : NAMELESS;
  return {
    kind,
    exists: facts.hidden ? partly(where) : seen(facts, say("its-name-stands-at-its")),
    ...contentsFor(facts, facts.own),
  };
}

const RANK: Readonly<Record<Answer, number>> = { no: 0, partly: 1, yes: 2 };
const MOST_NAMED = 3;

function otherAccount(facts: Facts): Reach {
  const anybody = rowFor(facts, facts.anybody);
  const rows = facts.named.map(({ name, may }) => ({ name, row: rowFor(facts, may) }));
  const withNamed = (column: Exclude<keyof Reach, "kind">): Cell => {
    const further = rows.filter(({ row }) => RANK[row[column].answer] > RANK[anybody[column].answer]);
    return further.length > 0
      ? partly(say("only", { listed: listed(further.map(({ name }) => name)) }))
      : anybody[column];
  };
  return {
    kind: "account",
    exists: withNamed("exists"),
    names: withNamed("names"),
    reads: withNamed("reads"),
    changes: withNamed("changes"),
    deletes: withNamed("deletes"),
  };
}

/** "a", "a and b", "a, b, c and others". */
function listed(names: readonly string[]): string {
  const told = names.length > MOST_NAMED ? [...names.slice(0, MOST_NAMED), "others"] : names;
  return told.length === 1 ? told.join("") : say("and", { told: told.slice(0, -1).join(", "), at: told.at(-1) ?? "" });
}

/**
 * For somebody who does not get to it: they may still take away all that it lies in, or have some of its files by
 * another name.
 */
function unreached(facts: Facts, may: Allowed, moves: string | null, refused: Cell): Reach {
  const other = facts.sealed ? refused : secondName(may, refused);
  const row = { ...everything("account", refused, refused), reads: other, changes: other };
  if (moves === null) return row;
  return {
    ...row,
    deletes: takenAway(refused, { ...may, movesOutOf: moves }, facts),
    changes: row.changes.answer === "no" && !facts.sealed ? partly(replacing(moves)) : row.changes,
  };
}

function replacing(directory: string): string {
  return say("only-by-putting-another-folder", { directory });
}

function rowFor(facts: Facts, may: Allowed): Reach {
  const kind = "account";
  if (!may.getsThrough) return unreached(facts, may, may.movesOutOf, no(say("directory-above-it-lets-no")));
  if (!may.listsPlace && facts.hidden)
    return {
      ...unreached(facts, may, may.movesAbove, no(say("its-name-cant-be-guessed"))),
      exists: no(say("directory-it-lies-in-may")),
    };
  const named = may.listsPlace
    ? seen(facts, say("others-may-list-directory-it"))
    : partly(say("only-whoever-knows-its-name"));
  return { kind, exists: facts.hidden ? partly(NAMELESS) : named, ...contentsFor(facts, may) };
}

function administrator(facts: Facts): Reach {
  const kind = "administrator";
  const exists = seen(facts, say("administrator-may-list-everything"));
  const anything = yes(say("permissions-dont-stop-administrator"));
  if (!facts.sealed) {
    const reads = facts.locked ? anything : yes(say("it-lies-open-nothing-stops"));
    return { kind, exists, names: anything, reads, changes: anything, deletes: anything };
  }
  if (facts.stays) {
    const all = yes(say("administrator-can-read-it", { keyBeside: KEY_BESIDE }));
    return {
      kind,
      exists,
      names: all,
      reads: all,
      changes: all,
      deletes: yes(say("administrator-can-delete-encrypted-data")),
    };
  }
  const reads = facts.signedIn ? partly(say("not-from-disk-but-while")) : no(ENCRYPTED);
  return {
    kind,
    exists,
    names: reads,
    reads,
    changes: no(UNNOTICED),
    deletes: yes(say("administrator-can-delete-encrypted-data")),
  };
}

function holdingDisk(facts: Facts): Reach {
  const kind = "disk";
  const exists = seen(facts, say("names-folders-are-not-encrypted"));
  const deletes = yes(say("whoever-holds-disk-can-erase"));
  if (facts.sealed && facts.stays) {
    const all = partly(say("whoever-holds-disk-that-your", { keyBeside: KEY_BESIDE }));
    return { kind, exists, names: all, reads: all, changes: all, deletes };
  }
  if (facts.sealed)
    return { kind, exists, names: no(ENCRYPTED), reads: no(ENCRYPTED), changes: no(UNNOTICED), deletes };
  const readable = yes(facts.locked ? say("it-is-not-encrypted-and") : say("it-lies-open-readable-on"));
  return { kind, exists, names: readable, reads: readable, changes: readable, deletes };
}

function provider(facts: Facts): Reach {
  const kind = "provider";
  const { synced } = facts;
  if (synced === null) return everything(kind, no(say("it-lies-in-no-synced")), no(say("it-lies-in-no-synced")));
  const exists = seen(facts, say("it-lies-in-which-is", { synced }));
  const deletes = yes(say("provider-keeps-copies-and-can"));
  if (!facts.sealed) {
    const all = yes(say("what-lies-in-is-uploaded", { synced }));
    return { kind, exists, names: all, reads: all, changes: all, deletes };
  }
  const earlier = partly(say("what-is-uploaded-now-is"));
  return { kind, exists, names: earlier, reads: earlier, changes: no(UNNOTICED), deletes };
}
