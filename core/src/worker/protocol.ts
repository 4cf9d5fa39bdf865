import {
  type GuardInput,
  type GuardOutcome,
  type GuardedInput,
  type Guarding,
  changeGuarded,
  guardFolder,
  openGuarded,
  releaseGuarded,
} from "../engine/guarded";
import { type ChangesInput, type ChangesOutcome, changesSinceLock } from "../engine/changes";
import { type CheckOutcome, type CheckRequest, checkFolder } from "../engine/check";
import { type Slot, dropInto, sealNewcomers } from "../engine/drop-in";
import type { Hooks, Progress } from "../engine/hooks";
import { type LastChangeInput, lastChange } from "../engine/last-change";
import { type LockInput, type LockOutcome, lockFolder } from "../engine/lock";
import { type UnlockInput, type UnlockOutcome, releaseFolder, unlockFolder } from "../engine/unlock";
import { type Committed, type PutBackInput, putBackFolder } from "../engine/visit";
import { type InsuranceFacts, insuranceFactsOf, setInsurance } from "../insurance/insure";
import { type RepairInput, type RepairOutcome, repairFolder } from "../insurance/repair";
import type { InsuranceLevel } from "../format/insurance";
import {
  type CopyComparison,
  type CopyInput,
  type MergeInput,
  type Merged,
  compareCopy,
  mergeCopy,
} from "../engine/merge-copy";
import { type PermissionsInput, type PermissionsOutcome, permissionsSinceLock } from "../engine/permissions-since";
import { type Reach, type ReachInput, reachOf } from "../onlooker/reach";
import type { ErrorCode } from "../errors/codes";
import type { ErrorData } from "../errors/eremos-error";
import type { Disk } from "../platform/port";

/** The verbs that run for long, in a worker thread of their own. */
export type EngineRequest =
  | { readonly verb: "lock"; readonly input: LockInput }
  | { readonly verb: "unlock"; readonly input: UnlockInput }
  | { readonly verb: "release"; readonly input: UnlockInput }
  | { readonly verb: "guard"; readonly input: GuardInput }
  | { readonly verb: "unguard"; readonly input: GuardedInput & { readonly release: boolean } }
  | { readonly verb: "reguard"; readonly input: GuardedInput & Guarding }
  | { readonly verb: "drop"; readonly input: { readonly slot: Slot; readonly files: readonly Buffer[] } }
  | { readonly verb: "seal-newcomers"; readonly input: Slot }
  | { readonly verb: "check"; readonly input: CheckRequest }
  | { readonly verb: "insure"; readonly input: { readonly path: Buffer; readonly level: InsuranceLevel | null } }
  | { readonly verb: "repair"; readonly input: RepairInput }
  | { readonly verb: "changes"; readonly input: ChangesInput }
  | { readonly verb: "put-back"; readonly input: PutBackInput }
  | { readonly verb: "compare-copy"; readonly input: CopyInput & { readonly original: Buffer } }
  | { readonly verb: "merge-copy"; readonly input: MergeInput }
  | { readonly verb: "permissions"; readonly input: PermissionsInput }
  | { readonly verb: "last-change"; readonly input: LastChangeInput }
  | { readonly verb: "reach"; readonly input: ReachInput };

export interface Outcomes {
  readonly lock: LockOutcome;
  readonly unlock: UnlockOutcome;
  readonly release: UnlockOutcome;
  readonly guard: GuardOutcome;
  readonly unguard: GuardOutcome;
  readonly reguard: GuardOutcome;
  readonly drop: number;
  readonly "seal-newcomers": number;
  readonly check: CheckOutcome;
  /** Null: not insured any more. */
  readonly insure: InsuranceFacts | null;
  readonly repair: RepairOutcome;
  readonly changes: ChangesOutcome;
  readonly "put-back": Committed;
  readonly "compare-copy": CopyComparison;
  readonly "merge-copy": Merged;
  readonly permissions: PermissionsOutcome;
  readonly "last-change": number;
  readonly reach: readonly Reach[];
}

export type FromWorker =
  | { readonly kind: "progress"; readonly progress: Progress }
  | { readonly kind: "done"; readonly outcome: Outcomes[keyof Outcomes] }
  | { readonly kind: "failed"; readonly code: ErrorCode; readonly message: string; readonly data: ErrorData };

export async function perform(disk: Disk, request: EngineRequest, hooks: Hooks): Promise<Outcomes[keyof Outcomes]> {
  switch (request.verb) {
    case "lock":
      return lockFolder(disk, request.input, hooks);
    case "unlock":
      return unlockFolder(disk, request.input, hooks);
    case "release":
      return releaseFolder(disk, request.input, hooks);
    case "guard":
      return guardFolder(disk, request.input, hooks);
    case "unguard":
      return request.input.release ? releaseGuarded(disk, request.input) : openGuarded(disk, request.input);
    case "reguard":
      return changeGuarded(disk, request.input);
    case "drop":
      return dropInto(disk, request.input.slot, request.input.files);
    case "seal-newcomers":
      return sealNewcomers(disk, request.input);
    case "check":
      return checkFolder(disk, request.input, hooks);
    case "insure":
      setInsurance(disk, request.input.path, request.input.level);
      return insuranceFactsOf(disk, request.input.path);
    case "repair":
      return repairFolder(disk, request.input, hooks);
    case "changes":
      return changesSinceLock(disk, request.input, hooks);
    case "put-back":
      return putBackFolder(disk, request.input);
    case "compare-copy":
      return compareCopy(request.input, request.input.original);
    case "merge-copy":
      return mergeCopy(disk, request.input, hooks);
    case "permissions":
      return permissionsSinceLock(disk, request.input, hooks);
    case "last-change":
      return lastChange(disk, request.input);
    case "reach":
      return reachOf(disk, request.input);
  }
}

/** Bytes arrive in a worker as plain Uint8Arrays; the engine wants Buffers again. */
export function reviveBytes<T>(value: T): T {
  if (value instanceof Uint8Array) return Buffer.from(value.buffer, value.byteOffset, value.length) as unknown as T;
  if (Array.isArray(value)) return value.map((item: unknown) => reviveBytes(item)) as unknown as T;
  if (typeof value !== "object" || value === null) return value;
  return Object.fromEntries(
    Object.entries(value).map(([key, item]: [string, unknown]) => [key, reviveBytes(item)]),
  ) as T;
}
