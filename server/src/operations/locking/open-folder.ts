import {
  type Consent,
  type EngineRequest,
  type FolderSecret,
  type Unlocked,
  isEncrypting,
  isLocked,
} from "@eremos/core";
import type { FolderKind, LockingRules, OpeningMode, Protection, Way } from "../../contract";
import type { Eremos } from "../../eremos";
import { whereIs } from "../../look/where-is";
import type { StartedJob } from "../../jobs";
import { UNTIL_CHANGED, deadlineOf, rulesFor } from "../../locking-rules";
import { protectionOf } from "../../protection";
import type { Target } from "./find-target";
import { wayInto, withFolderKey } from "./folder-password";
import { noteOf } from "../../ledger/ledger";
import { isOrdinaryFolder } from "./lock-folder";
import { decodePath, encodePath, nameOf } from "../../paths";
import { type Opening, sealedInput } from "./sealed-input";
import { findUnvisited } from "../folders/visit";
import { formatBytes } from "../../size-words";
import { say } from "@eremos/words/server/locking";

export interface OpenRequest {
  readonly pathOrId: string;
  readonly from: string;
  /** What the owner has been told of, and goes on with. */
  readonly accept: readonly Consent[];
  /** For a folder with a password of its own. */
  readonly secret?: FolderSecret | null;
}

export interface UnlockRequest extends OpenRequest {
  /** Until when it lies open. */
  readonly mode: OpeningMode;
}

export type OpenJob = StartedJob<"unlock">;

/** How it is opened: as the owner asks, or for this account alone, to be locked with another protection at once. */
interface Manner {
  readonly verb: "unlock" | "reguard" | "put-back";
  readonly rules: LockingRules;
  /** What it is locked with next. */
  readonly protection: Protection;
  readonly accept: readonly Consent[];
  /** How many earlier states stay, where it is not as the owner chose. */
  readonly keepEarlier?: number;
  /** How it ended, where it is not to be told as an opening. */
  readonly summary?: string;
}

/** Opens a folder in place. @throws EremosError */
export async function unlock(eremos: Eremos, request: UnlockRequest): Promise<OpenJob> {
  const target = await findUnvisited(eremos, request.pathOrId, request.from);
  const { record } = target;
  const rules = rulesFor(request.mode, record.rules ?? eremos.preferences.get().rules);
  return open(
    eremos,
    target,
    { verb: "unlock", rules, protection: protectionOf(record), accept: request.accept },
    request.secret ?? null,
  );
}

/**
 * The first half of locking it in another way; should it be cut off, the next start does the second. @throws
 * EremosError
 */
export function openToChange(
  eremos: Eremos,
  target: Target,
  protection: Protection,
  secret: FolderSecret | null,
): Promise<OpenJob> {
  return open(eremos, target, { verb: "reguard", rules: UNTIL_CHANGED, protection, accept: [] }, secret);
}

/** The last part of putting it back as it was at its last lock. */
export function openAgain(
  eremos: Eremos,
  target: Target,
  {
    rules,
    keepEarlier,
    isBack,
  }: { readonly rules: LockingRules; readonly keepEarlier: number; readonly isBack: boolean },
  folderKey: Buffer | null,
): void {
  const name = nameOf(decodePath(target.record.path));
  const summary = isBack ? say("is-open-again-with-what", { name }) : say("is-open-again-as-it", { name });
  void start(
    eremos,
    {
      verb: "put-back",
      rules,
      protection: protectionOf(target.record),
      accept: [],
      keepEarlier,
      by: eremos.signedInBy,
      summary,
    },
    target,
    folderKey,
  ).outcome.catch(() => undefined);
}

async function open(eremos: Eremos, target: Target, manner: Manner, secret: FolderSecret | null): Promise<OpenJob> {
  return withFolderKey(
    eremos,
    target,
    secret,
    (folderKey) => start(eremos, { ...manner, by: wayInto(eremos, secret, folderKey) }, target, folderKey),
    manner.accept,
  );
}

const EVENTS = { unlock: "opened", reguard: "reguarded", "put-back": "opened" } as const;

function start(
  eremos: Eremos,
  { verb, rules, protection, accept, keepEarlier, by, summary }: Manner & { readonly by: Way | null },
  target: Target,
  folderKey: Buffer | null,
): OpenJob {
  const { record, located } = target;
  const note = noteOf(record, protection);
  return eremos.jobs.start({
    folder: record.id,
    verb,
    request: {
      verb: "unlock",
      input: {
        ...unlockInput(eremos, target, {
          accept,
          folderKey,
          keepEarlier: keepEarlier ?? eremos.preferences.get().keepEarlier,
        }),
        closed: verb === "reguard",
      },
    },
    before: () => {
      if (located.inspection.state !== "open") eremos.ledger.opening({ ...note, rules });
    },
    after: async (outcome) => {
      const at = Date.now();
      const { unsealed } = outcome;
      const now = {
        ...note,
        path: encodePath(outcome.path),
        publicKey: unsealed?.note?.publicKey ?? null,
        opened: unsealed?.note?.opened ?? null,
        isUnknown: unsealed?.isUnknown ?? false,
        rules,
        openedAt: at,
        locksAt: deadlineOf(rules, at),
      };
      await eremos.ledger.opened(record, now, unsealed, EVENTS[verb], { way: by });
      return verb === "reguard" ? null : (summary ?? openedSentence(outcome));
    },
    failed: async () => followDisk(eremos, target),
  });
}

/** How the engine is told what to open: as what stands there now, with the keys that this takes. */
function unlockInput(
  eremos: Eremos,
  target: Target,
  opening: Opening & { readonly keepEarlier: number },
): Extract<EngineRequest, { verb: "unlock" }>["input"] {
  const { path, ...unsealing } = sealedInput(eremos, target, opening);
  const { guard, state, isOwn } = target.located.inspection;
  const isPlain = !isEncrypting({ guard }) || (state === "open" && isOwn);
  return {
    path,
    guard,
    place: decodePath(target.record.path),
    sealed: isPlain ? null : { ...unsealing, keepEarlier: opening.keepEarlier },
  };
}

/** Another owner's program, given back with its special rights, would run as this account. */
function withheldSentence(withheld: number): string {
  if (withheld === 0) return "";
  return withheld === 1
    ? say("one-entry-that-belonged-another")
    : say("entries-that-belonged-other-accounts", { withheld });
}

function damagedSentence(damaged: readonly string[]): string {
  if (damaged.length === 0) return "";
  const named =
    damaged.length <= 3
      ? damaged.join(", ")
      : say("and-more", { damaged: damaged.slice(0, 2).join(", "), more: damaged.length - 2 });
  return say("damaged-in-encrypted-copy-what", { named, damaged: damaged.length });
}

function heldSentence(holdsAll: boolean): string {
  return holdsAll ? "" : say("disk-it-lies-on-cant");
}

function openedSentence({ path, unsealed }: Unlocked): string {
  const where = say("is-open-at-its-place", { name: nameOf(path) });
  if (!unsealed) return say("with-permissions-it-had", { where });
  const { files, bytes, strategy, withheld, holdsAll, damaged } = unsealed;
  return say("files-anybody-at-this-computer", {
    where,
    files,
    bytes: formatBytes(bytes),
    damagedSentence: damagedSentence(damaged),
    withheldSentence: withheldSentence(withheld),
    heldSentence: heldSentence(holdsAll),
    isFileByFile: strategy === "file-by-file",
  });
}

async function followDisk(eremos: Eremos, target: Target): Promise<void> {
  const { record } = target;
  const now = whereIs(eremos, record);
  if (now && isLocked(now.inspection)) eremos.ledger.stillLocked(record.id);
  else eremos.announce({ topic: "folders" });
}

/** Takes protection off for good. @throws EremosError */
export async function release(eremos: Eremos, request: OpenRequest): Promise<StartedJob<"release">> {
  const target = await findUnvisited(eremos, request.pathOrId, request.from);
  const { state, isOwn } = target.located.inspection;
  const { accept, secret = null } = request;
  // What lies open is readable anyway.
  if (state === "open" && isOwn) return startRelease(eremos, target, accept, null);
  return withFolderKey(eremos, target, secret, (key) => startRelease(eremos, target, accept, key), accept);
}

function startRelease(
  eremos: Eremos,
  target: Target,
  accept: readonly Consent[],
  folderKey: Buffer | null,
): StartedJob<"release"> {
  const { record, located } = target;
  return eremos.jobs.start({
    folder: record.id,
    verb: "release",
    request: { verb: "release", input: unlockInput(eremos, target, { accept, folderKey, keepEarlier: 0 }) },
    before: () => {
      if (located.inspection.state !== "open") eremos.ledger.opening(noteOf(record, protectionOf(record)));
    },
    after: async (outcome) => {
      await eremos.ledger.released(record.id);
      return releasedSentence(record.kind, isEncrypting(located.inspection), outcome);
    },
    failed: async () => {
      if (isOrdinaryFolder(eremos, decodePath(record.path), record.id)) await eremos.ledger.released(record.id);
      else await followDisk(eremos, target);
    },
  });
}

function releasedSentence(kind: FolderKind, wasSealed: boolean, { path, unsealed }: Unlocked): string {
  const what = say("is-ordinary-again", { name: nameOf(path), kind });
  if (!unsealed) return wasSealed ? say("it-stays-as-it-is", { what }) : say("with-permissions-it-had-2", { what });
  const { damaged, files, bytes, withheld } = unsealed;
  return say("released", {
    what,
    isWhole: damaged.length === 0,
    files,
    bytes: formatBytes(bytes),
    damagedSentence: damagedSentence(damaged),
    withheldSentence: withheldSentence(withheld),
  });
}
