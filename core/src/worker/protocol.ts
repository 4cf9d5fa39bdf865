import {
  type ChangeInput,
  type Changed,
  type EraseInput,
  type LockInput,
  type LockPreview,
  type Locked,
  type PreviewInput,
  type UnlockInput,
  type Unlocked,
  changeFolder,
  eraseFolder,
  lockFolder,
  previewLock,
  releaseFolder,
  unlockFolder,
} from "../engine/guards";
import {
  type ChangesInput,
  type ChangesOutcome,
  type Committed,
  type CopyComparison,
  type CopyInput,
  type MergeInput,
  type Merged,
  type PutBackInput,
  type TakeBackInput,
  type TakenBack,
  type VisitInput,
  changesSinceLock,
  compareCopy,
  mergeCopy,
  putBackFolder,
  takeBackMoved,
} from "../engine/visiting";
import {
  type CheckOutcome,
  type CheckRequest,
  type PermissionsInput,
  type PermissionsOutcome,
  type Pieces,
  type PiecesInput,
  type RepairInput,
  type RepairOutcome,
  checkFolder,
  checkPieces,
  permissionsSinceLock,
  repairFolder,
} from "../engine/upkeep";
import { type DropSlot, type MovedIn, type Originals, dropInto, moveInto, sealNewcomers } from "../engine/slot";
import type { Hooks, Progress } from "../engine/ground";
import { type LastChangeInput, lastChange } from "../engine/records";
import { type RenewInput, type SealedAnew, renewFolder, sealAnew } from "../engine/access";
import { type InsuranceFacts, insuranceFactsOf, setInsurance } from "../insurance";
import type { InsuranceLevel } from "../format/insurance";
import { type Reach, type ReachInput, reachOf } from "../onlooker/reach";
import {
  type ClearInput,
  type Cleared,
  type CountInput,
  type FoundTraces,
  type TracesBack,
  type TracesBackInput,
  type TracesInput,
  clearTraces,
  countTraces,
  findTraces,
  putTracesBack,
} from "../traces";
import {
  type FreeSpaceFilled,
  type FreeSpaceInput,
  type OverwriteInput,
  type Overwritten,
  finishOverwriting,
  overwrite,
  overwriteFreeSpace,
} from "../overwrite";
import { type GoesIn, type HandOverInput, type HandedOver, handOver, whatGoesIn } from "../handover/hand-over";
import { type ReceiveInput, type Received, receive } from "../handover/receive";
import type { Failure } from "../errors/eremos-error";
import type { Disk } from "../platform/port";
import { type ShortOutcomes, type ShortRequest, isShort, performShort } from "./short";

/** What the engine is asked to do, in a worker thread of its own. */
export type EngineRequest =
  | ShortRequest
  | { readonly verb: "preview"; readonly input: PreviewInput }
  | { readonly verb: "lock"; readonly input: LockInput }
  | { readonly verb: "unlock"; readonly input: UnlockInput }
  | { readonly verb: "release"; readonly input: UnlockInput }
  | { readonly verb: "change"; readonly input: ChangeInput }
  | { readonly verb: "drop"; readonly input: { readonly slot: DropSlot; readonly files: readonly Buffer[] } }
  | {
      readonly verb: "move-in";
      readonly input: { readonly slot: DropSlot; readonly paths: readonly Buffer[]; readonly originals: Originals };
    }
  | { readonly verb: "take-back-moved"; readonly input: TakeBackInput }
  | { readonly verb: "seal-newcomers"; readonly input: DropSlot }
  | { readonly verb: "check"; readonly input: CheckRequest }
  | { readonly verb: "check-pieces"; readonly input: PiecesInput }
  | { readonly verb: "insure"; readonly input: { readonly path: Buffer; readonly level: InsuranceLevel | null } }
  | { readonly verb: "repair"; readonly input: RepairInput }
  | { readonly verb: "changes"; readonly input: ChangesInput }
  | { readonly verb: "renew"; readonly input: RenewInput }
  | { readonly verb: "seal-anew"; readonly input: VisitInput }
  | { readonly verb: "put-back"; readonly input: PutBackInput }
  | { readonly verb: "compare-copy"; readonly input: CopyInput & { readonly original: Buffer } }
  | { readonly verb: "merge-copy"; readonly input: MergeInput }
  | { readonly verb: "permissions"; readonly input: PermissionsInput }
  | { readonly verb: "last-change"; readonly input: LastChangeInput }
  | { readonly verb: "reach"; readonly input: ReachInput }
  | { readonly verb: "traces"; readonly input: TracesInput }
  | { readonly verb: "count-traces"; readonly input: CountInput }
  | { readonly verb: "clear-traces"; readonly input: ClearInput }
  | { readonly verb: "put-traces-back"; readonly input: TracesBackInput }
  | { readonly verb: "erase"; readonly input: EraseInput }
  | { readonly verb: "overwrite"; readonly input: OverwriteInput }
  | { readonly verb: "finish-overwriting"; readonly input: { readonly begunIn: Buffer } }
  | { readonly verb: "overwrite-free"; readonly input: FreeSpaceInput }
  | { readonly verb: "hand-over"; readonly input: HandOverInput }
  | { readonly verb: "what-goes-in"; readonly input: { readonly from: HandOverInput["from"] } }
  | { readonly verb: "receive"; readonly input: ReceiveInput };

/** They only look, however long, and give way to what is asked for meanwhile. */
export const LOOKS: ReadonlySet<EngineRequest["verb"]> = new Set([
  "preview",
  "check",
  "check-pieces",
  "changes",
  "compare-copy",
  "permissions",
  "reach",
  "traces",
  "count-traces",
  "what-goes-in",
]);

export interface Outcomes extends ShortOutcomes {
  readonly preview: LockPreview;
  readonly lock: Locked;
  readonly unlock: Unlocked;
  readonly release: Unlocked;
  readonly change: Changed;
  readonly drop: number;
  readonly "move-in": MovedIn;
  readonly "take-back-moved": TakenBack;
  readonly "seal-newcomers": number;
  readonly check: CheckOutcome;
  readonly "check-pieces": Pieces;
  /** Null: not insured any more. */
  readonly insure: InsuranceFacts | null;
  readonly repair: RepairOutcome;
  readonly changes: ChangesOutcome;
  /** The bytes of its header. */
  readonly renew: Buffer;
  readonly "seal-anew": SealedAnew;
  readonly "put-back": Committed;
  readonly "compare-copy": CopyComparison;
  readonly "merge-copy": Merged;
  readonly permissions: PermissionsOutcome;
  readonly "last-change": number;
  readonly reach: readonly Reach[];
  readonly traces: FoundTraces;
  readonly "count-traces": readonly number[];
  readonly "clear-traces": Cleared;
  readonly "put-traces-back": TracesBack;
  readonly erase: { readonly folder: string };
  readonly overwrite: Overwritten;
  readonly "finish-overwriting": number;
  readonly "overwrite-free": FreeSpaceFilled;
  readonly "hand-over": HandedOver;
  readonly "what-goes-in": GoesIn;
  readonly receive: Received;
}

export type FromWorker =
  | { readonly kind: "progress"; readonly progress: Progress }
  | { readonly kind: "done"; readonly outcome: Outcomes[keyof Outcomes] }
  | { readonly kind: "failed"; readonly failure: Failure };

export async function perform(disk: Disk, request: EngineRequest, hooks: Hooks): Promise<Outcomes[keyof Outcomes]> {
  if (isShort(request)) return performShort(disk, request);
  switch (request.verb) {
    case "preview":
      return previewLock(disk, request.input);
    case "lock":
      return lockFolder(disk, request.input, hooks);
    case "unlock":
      return unlockFolder(disk, request.input, hooks);
    case "release":
      return releaseFolder(disk, request.input, hooks);
    case "change":
      return changeFolder(disk, request.input);
    case "drop":
      return dropInto(disk, request.input.slot, request.input.files);
    case "move-in":
      return moveInto(disk, request.input.slot, request.input.paths, request.input.originals);
    case "take-back-moved":
      return takeBackMoved(disk, request.input);
    case "seal-newcomers":
      return sealNewcomers(disk, request.input);
    case "check":
      return checkFolder(disk, request.input, hooks);
    case "check-pieces":
      return checkPieces(disk, request.input, hooks);
    case "insure":
      setInsurance(disk, request.input.path, request.input.level);
      return insuranceFactsOf(disk, request.input.path);
    case "repair":
      return repairFolder(disk, request.input, hooks);
    case "changes":
      return changesSinceLock(disk, request.input, hooks);
    case "renew":
      return renewFolder(disk, request.input);
    case "seal-anew":
      return sealAnew(disk, request.input, hooks);
    case "put-back":
      return putBackFolder(disk, request.input);
    case "compare-copy":
      return compareCopy(disk, request.input, request.input.original);
    case "merge-copy":
      return mergeCopy(disk, request.input, hooks);
    case "permissions":
      return permissionsSinceLock(disk, request.input, hooks);
    case "last-change":
      return lastChange(disk, request.input);
    case "reach":
      return reachOf(disk, request.input);
    case "traces":
      return findTraces(disk, request.input);
    case "count-traces":
      return countTraces(disk, request.input);
    case "clear-traces":
      return clearTraces(disk, request.input, hooks);
    case "put-traces-back":
      return putTracesBack(disk, request.input);
    case "erase":
      return eraseFolder(disk, request.input, hooks);
    case "overwrite":
      return overwrite(disk, request.input, hooks);
    case "finish-overwriting":
      return finishOverwriting(disk, request.input.begunIn);
    case "overwrite-free":
      return overwriteFreeSpace(disk, request.input, hooks);
    case "hand-over":
      return handOver(disk, request.input, hooks);
    case "what-goes-in":
      return whatGoesIn(disk, request.input.from);
    case "receive":
      return receive(disk, request.input, hooks);
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
