import * as z from "zod";
import { sha256 } from "../crypto/bytes";
import { EremosError } from "../errors/eremos-error";
import { canonicalJson } from "./canonical-json";
import { GUARDS, type GuardName, barsSchema, traitsOf } from "./guards";
import { idSchema, isFittingName, lockedNameSchema } from "./ids";
import { ownerSchema } from "./owner";
import { readRecord, recordSchema, writeRecord } from "./record-file";
import { VISIBILITIES } from "./choices";
import { said, say } from "@eremos/words/core/format";

/**
 * The guard record: what is true of a folder that is barred or out of sight, whose contents stay as they are. FORMAT.md
 * §10.
 *
 *   lock      barring → locked
 *   change    locked → closing → barring → locked
 *   open      locked → opening → open
 *   release   locked or open → releasing → (nothing left)
 *   remove    locked → erasing → (nothing left, not even the folder)
 */
const GUARD_STATES = ["barring", "locked", "closing", "opening", "open", "releasing", "erasing"] as const;
export type GuardState = (typeof GUARD_STATES)[number];

const text = z.string().max(4096);

/** A guard that a later version has is told by its name, and is never taken for another, or for damage. */
const guardName = z
  .string()
  .regex(/^[a-z-]{1,32}$/)
  .superRefine((name, context) => {
    if (!isRecorded(name))
      context.addIssue({ code: "custom", message: "unknown", params: { unknown: say("guard", { name }) } });
  })
  .transform((name) => name as RecordedGuard);

function isRecorded(name: string): name is RecordedGuard {
  const known = GUARDS.find((guard) => guard === name);
  return known !== undefined && !traitsOf(known).encrypts;
}

/** The guards that leave contents as they are: they are what this record is about. */
export type RecordedGuard = Exclude<GuardName, "sealed">;

/** @throws RangeError for one that encrypts */
export function recordedGuard(guard: GuardName): RecordedGuard {
  if (isRecorded(guard)) return guard;
  throw new RangeError("This guard has another record.");
}

const guardSchema = recordSchema("eremos-guard", {
  folder: idSchema,
  /** Whose paths and permissions these are. */
  system: z.string().max(32),
  guard: guardName,
  state: z.enum(GUARD_STATES),
  visibility: z.enum(VISIBILITIES),
  lockedName: z.union([lockedNameSchema, z.null()]),
  held: z.union([z.int().nonnegative(), z.null()]),
  bars: barsSchema,
  /** On the way to open, and open: for its owner's account alone, until it is locked or released. */
  closed: z.boolean(),
  /** While closing: the bars that come after these. */
  next: z.union([barsSchema, z.null()]),
  /**
   * SHA-256 of the file with the original permissions, which is named after it; null when none were changed. Closed:
   * the folder's own.
   */
  originals: z.union([z.string().regex(/^[0-9a-f]{64}$/), z.null()]),
  /** The folder's ordinary path, sealed to the owner. */
  place: z.strictObject({ enc: text, ct: z.string().max(16_384) }),
  owner: ownerSchema,
  /** Erasing: so often what goes is written over; absent: it is not. */
  overwrites: z.int().min(1).max(3).exactOptional(),
  /** The folder's own times, set again at its release; nanoseconds as decimal text. */
  times: z.strictObject({ atimeNs: text, mtimeNs: text }),
  /** By which the computer that wrote it knows it again; nobody else can check it. */
  proof: text.exactOptional(),
}).refine(isFittingName);
export type GuardRecord = z.output<typeof guardSchema>;

export const MAX_GUARD_BYTES = 1024 * 1024;

/** What the proof is taken over. FORMAT.md §10.1. */
export function provenGuard({ proof: _proof, ...body }: GuardRecord): Buffer {
  return Buffer.concat([Buffer.from("eremos/2/guard\n", "utf8"), canonicalJson(body)]);
}

export function writeGuard(record: GuardRecord): Buffer {
  return writeRecord(record);
}

/** @throws EremosError `damaged` | `unknown-version` */
export function readGuard(bytes: Uint8Array): GuardRecord {
  return readRecord(bytes, guardSchema, say("folders-guard-record"), MAX_GUARD_BYTES);
}

/** Purpose of the envelope that holds the ordinary path. */
export function placePurpose(folder: string): string {
  return `guard/${folder}/place`;
}

/** The permissions one entry had before. */
export interface Original {
  /** Names from the folder down; none for the folder itself. */
  readonly path: readonly Buffer[];
  /** Permission bits, 0 to 0o7777. */
  readonly mode: number;
  /** Its access control list as the system gives it, or null. */
  readonly acl: Buffer | null;
}

const line = z.tuple([z.array(z.string()), z.int().min(0).max(0o7777), z.union([z.string(), z.null()])]);

/** One line of JSON for each entry: names in base64, mode, list in base64 or null. FORMAT.md §10.2. */
export function writeOriginals(originals: readonly Original[]): { readonly bytes: Buffer; readonly digest: string } {
  const lines = originals.map(({ path, mode, acl }) =>
    JSON.stringify([path.map((name) => name.toString("base64")), mode, acl?.toString("base64") ?? null]),
  );
  const bytes = Buffer.from(lines.map((entry) => `${entry}\n`).join(""));
  return { bytes, digest: sha256(bytes).toString("hex") };
}

/** @throws EremosError `damaged` */
export function readOriginals(bytes: Buffer | null, digest: string): Original[] {
  if (!bytes || sha256(bytes).toString("hex") !== digest) {
    throw new EremosError("damaged", said("record-folders-original-permissions-is"));
  }
  return bytes
    .toString("utf8")
    .split("\n")
    .filter((entry) => entry !== "")
    .map((entry) => {
      const [path, mode, acl] = line.parse(JSON.parse(entry));
      return {
        path: path.map((name) => Buffer.from(name, "base64")),
        mode,
        acl: acl === null ? null : Buffer.from(acl, "base64"),
      };
    });
}
