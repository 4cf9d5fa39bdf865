import {
  type Consent,
  type FolderSecret,
  type UnlockOutcome,
  isLocked,
  locateFolder,
  releaseOpenFolder,
} from "@eremos/core";
import type { LockingRules, OpeningMode, Protection } from "../../contract";
import type { Eremos } from "../../eremos";
import type { StartedJob } from "../../jobs";
import { UNTIL_CHANGED, deadlineOf, rulesFor } from "../../locking-rules";
import { protectionOf } from "../../protection";
import type { Target } from "./find-target";
import { withFolderKey } from "./folder-password";
import { NO_RULES, isOrdinaryFolder } from "./lock-folder";
import { decodePath, encodePath, nameOf } from "../../paths";
import { sealedInput } from "./sealed-input";
import { findUnvisited } from "../folders/visit";
import { formatBytes } from "../../size-words";

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

type Opened = Pick<UnlockOutcome, "folder" | "path" | "files" | "bytes">;

export interface OpenJob {
  readonly id: string;
  readonly outcome: Promise<Opened>;
}

/** How it is opened: as the owner asks, or for this account alone, to be locked with another protection at once. */
interface Way {
  readonly verb: "unlock" | "reguard" | "put-back";
  readonly rules: LockingRules;
  /** What it is locked with next. */
  readonly protection: Protection;
  readonly accept: readonly Consent[];
  /** How many earlier states stay, where it is not as the owner chose. */
  readonly keep?: number;
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
  { rules, keep, isBack }: { readonly rules: LockingRules; readonly keep: number; readonly isBack: boolean },
  folderKey: Buffer | null,
): void {
  const name = nameOf(decodePath(target.record.path));
  const summary = isBack
    ? `${name} is open again, with what you chose as it was at its last lock. What was there instead is kept as an earlier state.`
    : `${name} is open again, as it was. Putting back did not work.`;
  void unseal(
    eremos,
    { verb: "put-back", rules, protection: protectionOf(target.record), accept: [], keep, summary },
    target,
    folderKey,
  ).outcome.catch(() => undefined);
}

async function open(eremos: Eremos, target: Target, way: Way, secret: FolderSecret | null): Promise<OpenJob> {
  if (target.located.inspection.guard !== "sealed") return unguard(eremos, way, target);
  return withFolderKey(eremos, target, secret, (folderKey) => unseal(eremos, way, target, folderKey), way.accept);
}

const EVENTS = { unlock: "opened", reguard: "reguarded", "put-back": "opened" } as const;

/** From barred or out of sight: its contents are there, and get their permissions back. */
function unguard(eremos: Eremos, { verb, rules, protection }: Way, target: Target): OpenJob {
  const { record, located } = target;
  const note = {
    ...protection,
    id: record.id,
    path: record.path,
    kind: record.kind,
    publicKey: null,
    opened: null,
    protectedAt: record.protectedAt,
  };
  return withoutCounts(
    eremos.jobs.start({
      folder: record.id,
      verb,
      request: {
        verb: "unguard",
        input: { path: located.realPath, place: decodePath(record.path), release: false, closed: verb === "reguard" },
      },
      before: () => {
        if (located.inspection.state !== "open") eremos.data.writeNote({ ...NO_RULES, ...note, rules });
      },
      after: async (outcome) => {
        const at = Date.now();
        const path = encodePath(outcome.path);
        eremos.data.writeNote({ ...NO_RULES, ...note, path, rules, openedAt: at, locksAt: deadlineOf(rules, at) });
        await eremos.registry.record(
          eremos.keys,
          eremos.requireOwner(),
          { at, folder: record.id, kind: EVENTS[verb], signedIn: true },
          { ...record, path, openedAt: at },
        );
        eremos.announce({ topic: "folders" });
        return verb === "reguard" ? null : `${nameOf(outcome.path)} is open at its place, with the permissions it had.`;
      },
      failed: async () => settle(eremos, target),
    }),
  );
}

function withoutCounts({ id, outcome }: StartedJob<"unguard">): OpenJob {
  const opened = outcome.then(({ folder, path }): Opened => ({ folder, path, files: 0, bytes: 0 }));
  // Whoever does not wait for it is told by the job.
  opened.catch(() => undefined);
  return { id, outcome: opened };
}

function unseal(
  eremos: Eremos,
  { verb, rules, protection, accept, keep, summary }: Way,
  target: Target,
  folderKey: Buffer | null,
): StartedJob<"unlock"> {
  const { record } = target;
  const note = {
    ...protection,
    id: record.id,
    path: record.path,
    kind: record.kind,
    publicKey: record.publicKey || null,
    protectedAt: record.protectedAt,
  };
  return eremos.jobs.start({
    folder: record.id,
    verb,
    request: {
      verb: "unlock",
      input: {
        ...sealedInput(eremos, target, { accept, folderKey }),
        keep: keep ?? eremos.preferences.get().keepEarlier,
        closed: verb === "reguard",
      },
    },
    before: () => {
      if (target.located.inspection.state !== "open")
        eremos.data.writeNote({ ...NO_RULES, ...note, rules, opened: null });
    },
    after: async (outcome) => {
      const at = Date.now();
      const path = encodePath(outcome.path);
      eremos.data.writeNote({
        ...note,
        path,
        publicKey: outcome.note?.publicKey ?? null,
        opened: outcome.note?.opened ?? null,
        isUnknown: outcome.isUnknown,
        rules,
        openedAt: at,
        locksAt: deadlineOf(rules, at),
        staysUntil: 0,
      });
      const { generation, digest, files, bytes, header } = outcome;
      const opened = {
        ...record,
        path,
        generation,
        digest,
        files,
        bytes,
        publicKey: outcome.isUnknown ? "" : (outcome.note?.publicKey ?? record.publicKey),
        openedAt: at,
      };
      // A header that nobody known stands behind is not kept.
      await eremos.registry.record(
        eremos.keys,
        eremos.requireOwner(),
        { at, folder: record.id, kind: EVENTS[verb], signedIn: true },
        opened,
        outcome.isUnknown ? null : header,
      );
      eremos.announce({ topic: "folders" });
      return verb === "reguard" ? null : (summary ?? openedSentence(outcome));
    },
    failed: async () => settle(eremos, target),
  });
}

/** Another owner's program, given back with its special rights, would run as this account. */
function withheldSentence(withheld: number): string {
  if (withheld === 0) return "";
  return withheld === 1
    ? " One entry that belonged to another account is yours now, and did not get its special rights back."
    : ` ${withheld} entries that belonged to other accounts are yours now, and did not get their special rights back.`;
}

function damagedSentence(damaged: readonly string[]): string {
  if (damaged.length === 0) return "";
  const named =
    damaged.length <= 3 ? damaged.join(", ") : `${damaged.slice(0, 2).join(", ")} and ${damaged.length - 2} more`;
  return ` Damaged in the encrypted copy: ${named}. What is whole of ${damaged.length === 1 ? "it stands under a name that says" : "them stands under names that say"} so.`;
}

function heldSentence(holdsAll: boolean): string {
  return holdsAll
    ? ""
    : " The disk it lies on can't hold some permissions or attributes of files: they stay in the encrypted copy, and are back where they can be held.";
}

function openedSentence({ path, files, bytes, strategy, withheld, holdsAll, damaged }: UnlockOutcome): string {
  return `${nameOf(path)} is open at its place: ${files.toLocaleString("en")} ${files === 1 ? "file" : "files"}, ${formatBytes(bytes)}.${damagedSentence(damaged)}${withheldSentence(withheld)}${heldSentence(holdsAll)} Anybody at this computer can read it until you lock it again.${strategy === "file-by-file" ? " There was no room for two copies, so no encrypted copy lies beside it while it is open." : ""}`;
}

async function settle(eremos: Eremos, target: Target): Promise<void> {
  const { record } = target;
  const now = locateFolder(eremos.disk, decodePath(record.path), record.id);
  if (now && isLocked(now.inspection)) eremos.data.removeNote(record.id);
  eremos.announce({ topic: "folders" });
}

/** Takes protection off for good. @throws EremosError */
export async function release(eremos: Eremos, request: OpenRequest): Promise<{ job: OpenJob | null; path: string }> {
  const target = await findUnvisited(eremos, request.pathOrId, request.from);
  const { record, located } = target;
  const path = decodePath(record.path);
  if (located.inspection.guard !== "sealed")
    return { job: releaseUnsealed(eremos, target), path: path.toString("utf8") };
  if (located.inspection.state === "open" && located.inspection.isOwn) {
    releaseOpenFolder(eremos.disk, located.realPath);
    await forget(eremos, record.id);
    return { job: null, path: path.toString("utf8") };
  }
  const job = await withFolderKey(
    eremos,
    target,
    request.secret ?? null,
    (folderKey) => unsealForGood(eremos, target, request.accept, folderKey),
    request.accept,
  );
  return { job, path: path.toString("utf8") };
}

function unsealForGood(
  eremos: Eremos,
  target: Target,
  accept: readonly Consent[],
  folderKey: Buffer | null,
): StartedJob<"release"> {
  const { record } = target;
  return eremos.jobs.start({
    folder: record.id,
    verb: "release",
    request: { verb: "release", input: sealedInput(eremos, target, { accept, folderKey }) },
    before: () =>
      eremos.data.writeNote({
        ...NO_RULES,
        ...protectionOf(record),
        id: record.id,
        path: record.path,
        kind: record.kind,
        publicKey: record.publicKey || null,
        opened: null,
        protectedAt: record.protectedAt,
      }),
    after: async (outcome) => {
      await forget(eremos, record.id);
      return `${nameOf(outcome.path)} is an ordinary ${record.kind} again${outcome.damaged.length === 0 ? ", exactly as it was" : ""}: ${outcome.files.toLocaleString("en")} ${outcome.files === 1 ? "file" : "files"}, ${formatBytes(outcome.bytes)}.${damagedSentence(outcome.damaged)}${withheldSentence(outcome.withheld)}`;
    },
    failed: async () => {
      if (isOrdinaryFolder(eremos, decodePath(record.path), record.id)) await forget(eremos, record.id);
      else await settle(eremos, target);
    },
  });
}

function releaseUnsealed(eremos: Eremos, target: Target): OpenJob {
  const { record, located } = target;
  const place = decodePath(record.path);
  return withoutCounts(
    eremos.jobs.start({
      folder: record.id,
      verb: "release",
      request: { verb: "unguard", input: { path: located.realPath, place, release: true } },
      before: () =>
        eremos.data.writeNote({
          ...NO_RULES,
          ...protectionOf(record),
          id: record.id,
          path: record.path,
          kind: record.kind,
          publicKey: null,
          opened: null,
          protectedAt: record.protectedAt,
        }),
      after: async (outcome) => {
        await forget(eremos, record.id);
        return `${nameOf(outcome.path)} is an ordinary ${record.kind} again, with the permissions it had.`;
      },
      failed: async () => {
        if (isOrdinaryFolder(eremos, place, record.id)) await forget(eremos, record.id);
        else await settle(eremos, target);
      },
    }),
  );
}

async function forget(eremos: Eremos, id: string): Promise<void> {
  eremos.registry.remove(id);
  eremos.data.removeNote(id);
  await eremos.registry.record(eremos.keys, eremos.requireOwner(), {
    at: Date.now(),
    folder: id,
    kind: "released",
    signedIn: true,
  });
  eremos.announce({ topic: "folders" });
}
