import {
  type AccessProblem,
  type AdoptInput,
  type Adopted,
  type HeaderInput,
  accessProblems,
  adoptFolder,
  changeFolderPassword,
  changeOwner,
  repairAccess,
} from "../engine/access";
import { type Recovery, recoverFolder, renewGuardOwner, sweepErased } from "../engine/guards";
import {
  type Mended,
  type NewFile,
  type Written,
  makeFolder,
  mendFolder,
  stepAside,
  unmakeFolder,
  writeNew,
} from "../engine/upkeep";
import { type Committed, type VisitInput, letForkGo } from "../engine/visiting";
import { type Failure, failureOf } from "../errors/eremos-error";
import type { OwnerEnvelope } from "../format/owner";
import type { FolderPassword } from "../format/slot";
import { type Brought, type Undo, bringBack, putBackHidden, removeScript } from "../hidden/bring-back";
import type { Spot } from "../hidden/spot";
import { type InsuranceFacts, insuranceFactsOf } from "../insurance";
import type { Disk } from "../platform/port";
import { forgetKept } from "../traces";
import { said } from "@eremos/words/core/errors";

/** The verbs that are over soon, if their disk is not slow: nobody is told how far they are, and none can be cancelled. */
export type ShortRequest =
  /** Each by itself: of several folders one may not come to rest. */
  | { readonly verb: "recover"; readonly input: readonly Buffer[] }
  | { readonly verb: "sweep-erased"; readonly input: readonly { readonly path: Buffer; readonly folder: string }[] }
  | { readonly verb: "mend"; readonly input: HeaderInput }
  | { readonly verb: "adopt"; readonly input: AdoptInput }
  | { readonly verb: "change-owner"; readonly input: readonly HeaderInput[] }
  | { readonly verb: "renew-guard-owner"; readonly input: readonly GuardOwnerInput[] }
  | {
      readonly verb: "folder-password";
      readonly input: HeaderInput & { readonly password: FolderPassword | null };
    }
  | { readonly verb: "let-fork-go"; readonly input: VisitInput & { readonly fork: string } }
  | { readonly verb: "access"; readonly input: { readonly path: Buffer; readonly repair: boolean } }
  | { readonly verb: "insurance-facts"; readonly input: { readonly path: Buffer } }
  | { readonly verb: "forget-traces"; readonly input: { readonly directory: Buffer; readonly ids: readonly string[] } }
  | { readonly verb: "bring-back"; readonly input: { readonly spot: Spot; readonly wanted: string | null } }
  | { readonly verb: "put-back-hidden"; readonly input: readonly Undo[] }
  | { readonly verb: "remove-script"; readonly input: Spot }
  | { readonly verb: "make-folder"; readonly input: Buffer }
  | { readonly verb: "unmake-folder"; readonly input: Buffer }
  | { readonly verb: "step-aside"; readonly input: Buffer }
  | { readonly verb: "write-new"; readonly input: NewFile };

interface GuardOwnerInput {
  readonly path: Buffer;
  readonly owner: OwnerEnvelope;
  /** The folder's ordinary path. */
  readonly ordinary: Buffer;
}

/** What became of one of several. */
export type Each<T> = { readonly done: T } | { readonly failure: Failure };

export interface ShortOutcomes {
  readonly recover: readonly Each<Recovery>[];
  readonly "sweep-erased": readonly Each<null>[];
  readonly mend: Mended;
  readonly adopt: Adopted;
  /** The bytes of each header. */
  readonly "change-owner": readonly Each<Buffer>[];
  readonly "renew-guard-owner": readonly Each<null>[];
  /** The bytes of its header. */
  readonly "folder-password": Buffer;
  readonly "let-fork-go": Committed;
  readonly access: readonly AccessProblem[];
  readonly "insurance-facts": InsuranceFacts | null;
  readonly "forget-traces": null;
  readonly "bring-back": Brought;
  readonly "put-back-hidden": null;
  readonly "remove-script": Undo;
  readonly "make-folder": null;
  readonly "unmake-folder": null;
  readonly "step-aside": Buffer;
  readonly "write-new": Written;
}

type Performing = {
  readonly [V in keyof ShortOutcomes]: (
    disk: Disk,
    input: Extract<ShortRequest, { readonly verb: V }>["input"],
  ) => ShortOutcomes[V] | Promise<ShortOutcomes[V]>;
};

const SHORT: Performing = {
  recover: (disk, paths) => each(paths, (path) => recoverFolder(disk, path)),
  "sweep-erased": (disk, erased) => each(erased, ({ path, folder }) => nothing(() => sweepErased(disk, path, folder))),
  mend: mendFolder,
  adopt: adoptFolder,
  "change-owner": (disk, inputs) => each(inputs, (input) => changeOwner(disk, input)),
  "renew-guard-owner": (disk, inputs) =>
    each(inputs, async ({ path, owner, ordinary }) => {
      await renewGuardOwner(disk, path, owner, ordinary);
      return null;
    }),
  "folder-password": (disk, { password, ...input }) => changeFolderPassword(disk, input, password),
  "let-fork-go": (disk, { fork, ...input }) => letForkGo(disk, input, fork),
  access: (disk, { path, repair }) => (repair ? repairAccess(disk, path) : accessProblems(disk, path)),
  "insurance-facts": (disk, { path }) => insuranceFactsOf(disk, path),
  "forget-traces": (disk, { directory, ids }) => nothing(() => ids.forEach((id) => forgetKept(disk, directory, id))),
  "bring-back": (disk, { spot, wanted }) => bringBack(disk, spot, wanted),
  "put-back-hidden": (disk, undo) => nothing(() => putBackHidden(disk, undo)),
  "remove-script": removeScript,
  "make-folder": (disk, path) => nothing(() => makeFolder(disk, path)),
  "unmake-folder": (disk, path) => nothing(() => unmakeFolder(disk, path)),
  "step-aside": stepAside,
  "write-new": writeNew,
};

async function each<I, T>(inputs: readonly I[], work: (input: I) => T | Promise<T>): Promise<readonly Each<T>[]> {
  const all: Each<T>[] = [];
  for (const input of inputs) {
    try {
      all.push({ done: await work(input) });
    } catch (error) {
      all.push({ failure: failureOf(error, said("working")) });
    }
  }
  return all;
}

function nothing(work: () => void): null {
  work();
  return null;
}

export function isShort(request: { readonly verb: string }): request is ShortRequest {
  return Object.hasOwn(SHORT, request.verb);
}

/** @throws EremosError, system errors */
export async function performShort<V extends keyof ShortOutcomes>(
  disk: Disk,
  { verb, input }: ShortRequest & { readonly verb: V },
): Promise<ShortOutcomes[V]> {
  return SHORT[verb](disk, input as never);
}
