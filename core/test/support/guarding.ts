import { type Bars, NO_BARS } from "../../src/format/guards";
import type { OwnerEnvelope } from "../../src/format/owner";
import type { StateRecord } from "../../src/format/state";
import type { Disk } from "../../src/platform/port";
import { type Hooks, silentHooks } from "../../src/engine/ground/hooks";
import type { Changed, Locked, Unlocked } from "../../src/engine/guards/guard";
import { inspectFolder } from "../../src/engine/guards/inspect";
import { changeFolder, lockFolder, releaseFolder, unlockFolder } from "../../src/engine/guards/verbs";
import type { Grounds } from "../../src/engine/visibility/hide";
import type { Signs } from "../../src/engine/visibility/signs";

/** The verbs as a test asks for them: what every guard is told, without what only the sealed one needs. */
export interface Guarding extends Grounds {
  readonly guard: "barred" | "sight";
  readonly bars: Bars;
  readonly visibility: StateRecord["visibility"];
  readonly cover?: string | null;
}

export interface GuardInput extends Guarding {
  readonly path: Buffer;
  readonly folder: string;
  readonly owner: OwnerEnvelope;
}

export interface GuardedInput {
  readonly path: Buffer;
  readonly place: Buffer;
  readonly closed?: boolean;
  /** What stands there; else it is looked at, on the same disk. */
  readonly guard?: "barred" | "sight";
}

export function guardFolder(disk: Disk, input: GuardInput, hooks: Hooks = silentHooks): Promise<Locked> {
  return lockFolder(disk, { ...input, sealing: null }, hooks);
}

export async function openGuarded(disk: Disk, input: GuardedInput): Promise<Unlocked> {
  return unlockFolder(disk, { ...input, guard: input.guard ?? guardAt(disk, input.path), sealed: null }, silentHooks);
}

export async function releaseGuarded(disk: Disk, input: GuardedInput): Promise<Unlocked> {
  return releaseFolder(disk, { ...input, guard: input.guard ?? guardAt(disk, input.path), sealed: null }, silentHooks);
}

export function changeGuarded(disk: Disk, input: GuardedInput & Guarding): Promise<Changed> {
  return changeFolder(disk, { ...input, page: null });
}

/** A sealed folder that lies open: no key is needed. */
export async function releaseOpenFolder(disk: Disk, path: Buffer): Promise<void> {
  await releaseFolder(disk, { path, place: path, guard: "sealed", sealed: null }, silentHooks);
}

export interface VisibilityInput extends Signs, Grounds {
  readonly path: Buffer;
  readonly place: Buffer;
  readonly visibility: StateRecord["visibility"];
  readonly cover?: string | null;
}

/** Of a sealed folder; its path then. */
export async function changeVisibility(disk: Disk, input: VisibilityInput): Promise<Buffer> {
  return (await changeFolder(disk, { ...input, guard: "sealed", bars: NO_BARS })).path;
}

function guardAt(disk: Disk, path: Buffer): "barred" | "sight" {
  return inspectFolder(disk, path)?.guard === "sight" ? "sight" : "barred";
}
