import { EremosError } from "../../errors/eremos-error";
import { vouchingOf } from "../../format/generation";
import { type Believed, type Head, standingOf } from "../../format/header";
import type { OwnerEnvelope } from "../../format/owner";
import type { Disk } from "../../platform/port";
import type { Damage } from "./check";
import { type Hooks, Meter, displayPath, holdFolder, letGo } from "../ground";
import { isFileWhole, loadGeneration, loadHeads, loadManifest, loadState, objectLength } from "../records";
import { said, say } from "@eremos/words/core/upkeep";

/** Whose folder it is, by Eremos' own data; no key of theirs. */
export interface PiecesInput {
  readonly path: Buffer;
  readonly owner: OwnerEnvelope;
  /** Public keys of this computer. */
  readonly devices: readonly Uint8Array[];
  readonly keptHeader: Buffer | null;
}

/** What a sealed folder consists of, by the signed list of its state. */
export interface Pieces {
  /** So many encrypted files belong to it. */
  readonly pieces: number;
  /** So many are there, in their whole length: of a folder that is on its way here, the rest is still to come. */
  readonly arrived: number;
  /** Bytes of all. */
  readonly bytes: number;
  /** Those that are there and not what was locked. */
  readonly damaged: readonly Damage[];
}

/**
 * Looks, without any key, whether everything that a sealed folder consists of is there, and is byte for byte what its
 * owner, or a computer of theirs, put there. Which files that are, only a check with the password tells. @throws
 * EremosError `not-protected` | `unvouched` | `damaged`
 */
export function checkPieces(disk: Disk, { path, owner, devices, keptHeader }: PiecesInput, hooks: Hooks): Pieces {
  const folder = holdFolder(disk, path, { create: false });
  try {
    const { ownDir } = folder;
    const state = loadState(disk, ownDir);
    if (!state?.generation)
      throw new EremosError("not-protected", said("is-not-sealed-by-eremos", { path: displayPath(path) }));
    const believed: Believed = { owner, devices };
    const head = latestKnown(
      loadHeads(disk, ownDir, keptHeader).heads.map((found) => found.head),
      believed,
    );
    const { record } = loadGeneration(disk, ownDir, state.generation);
    if (!head || vouchingOf(record, believed, head) === "unknown")
      throw new EremosError("unvouched", said("nobody-known-stands-behind-this"), { what: "key" });
    const all = [...loadManifest(disk, ownDir, record.manifest).record.values()];
    const bytes = all.reduce((sum, { length }) => sum + length, 0);
    const meter = new Meter(hooks, "checking", all.length, bytes);
    const damaged: Damage[] = [];
    let arrived = 0;
    for (const piece of all) {
      const { kind, object, length } = piece;
      const isHere = objectLength(disk, ownDir, kind, object) === length;
      if (isHere) arrived++;
      if (isHere && !isFileWhole(disk, ownDir, kind, piece))
        damaged.push({
          path: `.eremos/${kind === "index" ? "index" : "packs"}/${object}`,
          reason: say("not-encrypted-file-that-was"),
        });
      meter.add(1, length);
    }
    return { pieces: all.length, arrived, bytes, damaged };
  } finally {
    letGo(disk, folder);
  }
}

function latestKnown(heads: readonly Head[], believed: Believed): Head | null {
  const known = heads.filter(({ header }) => standingOf(header, believed) !== "unknown");
  return known.sort((a, b) => b.header.counter - a.header.counter)[0] ?? null;
}
