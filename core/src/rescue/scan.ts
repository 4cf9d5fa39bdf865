import * as fs from "node:fs";
import { isEremosError } from "../errors/eremos-error";
import { generationNames, numberIn } from "../format/generation";
import type { GuardName } from "../format/guards";
import { readGuard } from "../format/guard-record";
import { directorySource } from "./directory-source";
import { findLocked } from "./find-locked";
import { readWhole } from "./source";
import { findState } from "./state-record";
import { type Walk, type WalkEnd, type WalkProgress, below, walk } from "./walk";

/** A protected folder, as the disk alone tells of it. */
export interface ScanFound {
  /** Where it lies now, under whatever name. */
  readonly path: Buffer;
  /** Null where its records are too damaged to say. */
  readonly folder: string | null;
  /** The id of the owner it belongs to. */
  readonly owner: string | null;
  /** The public signing key that its owner had when it was locked, base64url. */
  readonly signing: string | null;
  readonly guard: GuardName | null;
  /** Whether it lies open, as its state record says; null where there is none that can be read. */
  readonly isOpen: boolean | null;
  readonly visibility: "view" | "hidden" | "tucked" | null;
  readonly hasPassword: boolean;
  /** Readable hint to its own password. */
  readonly hint: string | null;
  /** The newest state, and when it was made: milliseconds since 1970. */
  readonly generation: number | null;
  readonly lockedAt: number | null;
  /** What is wrong with its records. */
  readonly problems: readonly string[];
}

export type ScanProgress = WalkProgress;
export type ScanEnd = WalkEnd;

export interface ScanInput extends Walk {
  readonly onFound: (found: ScanFound) => void;
}

const OWN_DIR = ".eremos";

/**
 * Looks for protected folders below some places, hidden and tucked-away ones too. Follows no links, changes nothing,
 * needs no key.
 */
export function scan({ onFound, ...places }: ScanInput): Promise<ScanEnd> {
  return walk(places, async (at, entries) => {
    const inner: Buffer[] = [];
    for (const entry of entries.filter((one) => one.isDirectory())) {
      if (entry.name.toString("latin1") === OWN_DIR) onFound(await lookAt(at));
      else inner.push(below(at, entry.name));
    }
    return inner;
  });
}

async function lookAt(path: Buffer): Promise<ScanFound> {
  const source = directorySource(path);
  const nothing: ScanFound = {
    path,
    folder: null,
    owner: null,
    signing: null,
    guard: null,
    isOpen: null,
    visibility: null,
    hasPassword: false,
    hint: null,
    generation: null,
    lockedAt: null,
    problems: [],
  };
  try {
    const bytes = await readWhole(source, `${OWN_DIR}/guard.json`);
    const guard = bytes ? readGuard(bytes) : null;
    if (guard && !(guard.state === "open" && (await findState(source)).isThere)) {
      return {
        ...nothing,
        folder: guard.folder,
        owner: guard.owner.owner,
        signing: guard.owner.signing.publicKey,
        guard: guard.guard,
        isOpen: guard.state === "open",
        visibility: guard.visibility,
      };
    }
    const { folder, heads, state, hasPassword, hint, problems } = await findLocked(source);
    const [generation, lockedAt] = newest(path);
    return {
      path,
      folder,
      owner: heads[0]?.header.owner.owner ?? null,
      signing: heads[0]?.header.owner.signing.publicKey ?? null,
      guard: "sealed",
      isOpen: state ? state.state === "open" : null,
      visibility: state?.visibility ?? null,
      hasPassword,
      hint,
      generation,
      lockedAt,
      problems,
    };
  } catch (error) {
    return { ...nothing, problems: [isEremosError(error) ? error.message : String(error)] };
  }
}

/** By the names and times of the generation records. */
function newest(path: Buffer): readonly [number | null, number | null] {
  const directory = Buffer.concat([path, Buffer.from(`/${OWN_DIR}/generations`)]);
  try {
    const [last] = generationNames(fs.readdirSync(directory));
    if (last === undefined) return [null, null];
    const { mtimeMs } =
      fs.statSync(Buffer.concat([directory, Buffer.from(`/${last}`)]), { throwIfNoEntry: false }) ??
      fs.statSync(Buffer.concat([directory, Buffer.from(`/${last.replace(".json", ".twin.json")}`)]));
    return [numberIn(last), mtimeMs];
  } catch {
    return [null, null];
  }
}
