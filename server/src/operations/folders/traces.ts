import * as os from "node:os";
import * as path from "node:path";
import {
  type ClearInput,
  type Cleared,
  EremosError,
  KEPT_DAYS,
  type KeptHead,
  type TraceHome,
  type TracesInput,
  displayPath,
  earlierSealingKeys,
  fromBase64,
  isEncrypting,
  isEremosError,
  readPlanted,
  wipe,
} from "@eremos/core";
import type { ClearedView, KeptTraces, TraceKind, TracesBackView, TracesView } from "../../contract";
import type { Eremos } from "../../eremos";
import { causedBy } from "../../ledger/cause";
import type { Settings } from "../../settings";
import type { StartedJob } from "../../jobs";
import { mountsIn } from "../../look/mounts";
import { decodePath, nameOf } from "../../paths";
import { findRecord, findTarget } from "../locking/find-target";
import { sealedInput } from "../locking/sealed-input";
import { said, say } from "@eremos/words/server/folders";

/**
 * What lies outside a protected folder on this account's desktop and tells of it; with `byInside`, also what is called or
 * holds the same as something in it. Reads only, and wherever the folder itself is. @throws EremosError `not-protected`
 */
export async function tracesOf(eremos: Eremos, pathOrId: string, from: string, byInside: boolean): Promise<TracesView> {
  const record = findRecord(eremos, pathOrId, from);
  const { traces, troubles, writers } = await eremos.run<"traces">({
    verb: "traces",
    input: {
      folder: decodePath(record.path),
      home: homeOf(eremos),
      inside: byInside ? insideOf(eremos, record.id) : null,
    },
  });
  return {
    traces: traces.map(({ where, what, ...trace }) => ({
      ...trace,
      where: displayPath(where),
      what: displayPath(what),
    })),
    troubles: troubles.map(({ kind, where, reason }) => ({ kind, where: displayPath(where), reason })),
    writers,
  };
}

/** How much elsewhere tells of several folders, by their paths alone. @throws EremosError `not-protected` */
export async function traceCounts(
  eremos: Eremos,
  ids: readonly string[],
): Promise<readonly { readonly folder: string; readonly traces: number }[]> {
  const folders = ids.map((id) => decodePath(findRecord(eremos, id, "/").path));
  const counts = await eremos.run<"count-traces">({ verb: "count-traces", input: { home: homeOf(eremos), folders } });
  return ids.map((folder, i) => ({ folder, traces: counts[i] ?? 0 }));
}

/** Null where its contents are not encrypted, or it is away. */
function insideOf(eremos: Eremos, id: string): TracesInput["inside"] {
  const target = thereOrNull(() => findTarget(eremos, id, "/"));
  if (!target || !isEncrypting(target.located.inspection)) return null;
  const places = [...eremos.places, ...downloadsOf(eremos.settings)];
  return { ...sealedInput(eremos, target), places: places.map((place) => Buffer.from(place)) };
}

const MOST_LIST_BYTES = 64 * 1024;

/** Where browsers put what they download, by the desktop's list of directories. Source: xdg-user-dirs. */
export function downloadsOf({ home, configHome }: Settings): string[] {
  const list = readPlanted(path.join(configHome, "user-dirs.dirs"), MOST_LIST_BYTES)?.toString("utf8") ?? "";
  const named = /^XDG_DOWNLOAD_DIR="(?:\$HOME\/)?([^"]*)"/m.exec(list)?.[1];
  return [path.resolve(home, named ?? "Downloads")];
}

function thereOrNull<T>(look: () => T): T | null {
  try {
    return look();
  } catch (error) {
    if (isEremosError(error)) return null;
    throw error;
  }
}

function homeOf(eremos: Eremos): TraceHome {
  const { home, dataHome, configHome, cacheHome, stateHome } = eremos.settings;
  return {
    home: Buffer.from(home),
    dataHome: Buffer.from(dataHome),
    configHome: Buffer.from(configHome),
    cacheHome: Buffer.from(cacheHome),
    stateHome: Buffer.from(stateHome),
    temporary: [...new Set([os.tmpdir(), "/var/tmp"])].map((directory) => Buffer.from(directory)),
    drives: mountsIn(eremos.mounts).map((mount) => Buffer.from(mount)),
    uid: os.userInfo().uid,
    visited: visitedBy(eremos),
    exports: exportsOf(eremos),
  };
}

function visitedBy(eremos: Eremos): TraceHome["visited"] {
  const { keys } = eremos;
  if (!keys) return [];
  return eremos.registry.list(keys).map(({ id, path: its }) => ({ name: keys.visitorOf(id), folder: decodePath(its) }));
}

/** Which of the files that Eremos made tell of which folders, as far as that can be read now. */
function exportsOf(eremos: Eremos): TraceHome["exports"] {
  const { keys } = eremos;
  if (!keys) return [];
  const paths = new Map(eremos.registry.list(keys).map(({ id, path: its }) => [id, decodePath(its)]));
  return (eremos.documents.get(keys, "exports") ?? []).map(({ path: where, dev, ino, folders, kind }) => ({
    path: decodePath(where),
    its: { dev: BigInt(dev), ino: BigInt(ino) },
    tellsOf: folders.flatMap((id) => paths.get(id) ?? []),
    isPackage: kind === "package",
  }));
}

export interface ClearRequest {
  /** Of the traces; null: those of these kinds. */
  readonly ids: readonly string[] | null;
  /** Null: of every kind. */
  readonly kinds: readonly TraceKind[] | null;
  /** Of these kinds only what surely belongs to the folder. */
  readonly onlySure: boolean;
  /** Also what is called or holds the same as something in it. */
  readonly byInside: boolean;
  /** To put it back within {@link KEPT_DAYS} days. */
  readonly keep: boolean;
  /** So often what goes is written over before it does; with that nothing is kept. */
  readonly overwrite: 0 | 1 | 3;
}

/** @throws EremosError `not-protected` | `needs-sign-in` */
export async function clearTraces(
  eremos: Eremos,
  pathOrId: string,
  from: string,
  request: ClearRequest,
): Promise<StartedJob<"clear-traces">> {
  const { id, path: encoded } = findRecord(eremos, pathOrId, from);
  const folder = decodePath(encoded);
  const input = await clearInput(eremos, id, folder, request);
  return eremos.jobs.start({
    folder: id,
    verb: "clear",
    request: { verb: "clear-traces", input },
    before: () => undefined,
    after: async (outcome) => {
      if (outcome.ids.length > 0) await eremos.ledger.happened(id, "cleared", { count: outcome.ids.length });
      return clearedSentence(nameOf(folder), outcome);
    },
    failed: async () => undefined,
  });
}

async function clearInput(
  eremos: Eremos,
  id: string,
  folder: Buffer,
  { ids, kinds, onlySure, keep, byInside, overwrite }: ClearRequest,
): Promise<ClearInput> {
  const { sealing } = eremos.requireOwner();
  await sweepKept(eremos);
  return {
    folder,
    home: homeOf(eremos),
    inside: byInside ? insideOf(eremos, id) : null,
    ids,
    kinds,
    onlySure,
    overwrite,
    keep:
      keep && overwrite === 0
        ? {
            directory: Buffer.from(eremos.data.cleared),
            publicKey: fromBase64(sealing.publicKey, 32),
            folder: id,
            at: Date.now(),
            day: eremos.days.now(),
          }
        : null,
  };
}

/** Of a folder that goes for good: what surely belongs to it, of every kind, and nothing of that is kept. */
export async function clearAllTraces(eremos: Eremos, id: string, folder: Buffer): Promise<void> {
  const asked = { ids: null, kinds: null, onlySure: true, keep: false, byInside: false, overwrite: 0 as const };
  const input = await clearInput(eremos, id, folder, asked);
  await eremos.run<"clear-traces">({ verb: "clear-traces", input });
}

/** Programs write back what they remember soon after, or when they end. */
const LOOK_AGAIN_MS = 60_000;

/**
 * After a lock, by the folder's rules; it needs nobody signed in. A process that stays looks once more a minute later,
 * if the folder is locked then. What it tells of it, or null.
 */
export async function clearAfterLock(
  eremos: Eremos,
  id: string,
  folder: Buffer,
  kinds: readonly TraceKind[],
): Promise<string | null> {
  if (kinds.length === 0) return null;
  const { ids, left, kept } = await clearByRule(eremos, id, folder, kinds);
  if (eremos.isLasting)
    setTimeout(() => {
      if (!eremos.data.note(id)) void clearByRule(eremos, id, folder, kinds).catch(() => undefined);
    }, LOOK_AGAIN_MS).unref();
  return ids.length + left.length > 0 ? clearedSentence(nameOf(folder), { ids, left, kept }) : null;
}

async function clearByRule(eremos: Eremos, id: string, folder: Buffer, kinds: readonly TraceKind[]): Promise<Cleared> {
  const asked = { ids: null, kinds, onlySure: true, keep: true, byInside: false, overwrite: 0 as const };
  const outcome = await eremos.run<"clear-traces">({
    verb: "clear-traces",
    input: await clearInput(eremos, id, folder, asked),
  });
  if (outcome.ids.length > 0)
    await causedBy({ from: "itself", why: "by-rule" }, () =>
      eremos.ledger.happened(id, "cleared", { count: outcome.ids.length }),
    );
  return outcome;
}

function clearedSentence(name: string, { ids, left, kept }: Cleared): string {
  const [first] = left;
  const done = say("traces-cleared", { traces: ids.length, name, isKept: kept !== null });
  return first ? `${done} ${say("traces-left", { left: left.length, reason: first.reason })}` : done;
}

export function clearedView({ ids, left, kept }: Cleared): ClearedView {
  return { cleared: ids.length, left: left.map(shownLeft), kept };
}

function shownLeft({ where, reason }: Cleared["left"][number]): { where: string; reason: string } {
  return { where: displayPath(where), reason };
}

/** What was cleared, of one folder or of all, and can be put back, the newest first. @throws EremosError `needs-sign-in` */
export async function keptTraces(
  eremos: Eremos,
  of: { readonly pathOrId: string; readonly from: string } | null = null,
): Promise<readonly KeptTraces[]> {
  eremos.requireKeys();
  const only = of && findRecord(eremos, of.pathOrId, of.from).id;
  const today = eremos.days.now();
  return (await sweepKept(eremos))
    .filter(({ folder }) => only === null || folder === only)
    .map(({ id, folder, at, traces, day }) => ({
      id,
      folder,
      at,
      traces,
      daysLeft: Math.max(1, Math.ceil(day + KEPT_DAYS - today)),
    }));
}

/** Forgets what was kept for as long as was promised; returns the rest. */
export async function sweepKept(eremos: Eremos): Promise<readonly KeptHead[]> {
  const today = eremos.days.now();
  const isOver = ({ day }: KeptHead): boolean => today > day + KEPT_DAYS;
  await forgetTraces(eremos, isOver);
  return keptIn(eremos).filter((head) => !isOver(head));
}

/** Of what was cleared and is kept. */
export async function forgetTraces(eremos: Eremos, which: (head: KeptHead) => boolean): Promise<void> {
  const ids = keptIn(eremos)
    .filter(which)
    .map(({ id }) => id);
  if (ids.length === 0) return;
  const directory = Buffer.from(eremos.data.cleared);
  await eremos.ask<"forget-traces">({ verb: "forget-traces", input: { directory, ids } });
}

function keptIn(eremos: Eremos): readonly KeptHead[] {
  return eremos.glance.keptTraces(Buffer.from(eremos.data.cleared));
}

/** @throws EremosError `needs-sign-in` | `damaged` */
export async function putTracesBack(eremos: Eremos, kept: string): Promise<TracesBackView> {
  const head = keptIn(eremos).find(({ id }) => id === kept);
  if (!head) throw new EremosError("not-found", said("no-such-traces-are-kept"));
  return eremos.holding(async (keys) => {
    const earlier = earlierSealingKeys(eremos.requireOwner(), keys.rootKey);
    try {
      const { back, left } = await eremos.run<"put-traces-back">({
        verb: "put-traces-back",
        input: {
          directory: Buffer.from(eremos.data.cleared),
          id: kept,
          privateKeys: [keys.sealingKey, ...earlier],
        },
      });
      await eremos.ledger.happened(head.folder, "traces-back");
      return { back, left: left.map(shownLeft) };
    } finally {
      wipe(...earlier);
    }
  });
}
