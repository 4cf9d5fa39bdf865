import * as z from "zod";
import { randomBytes } from "../crypto/bytes";
import { say } from "@eremos/words/core/format";

/**
 * An id is 16 random bytes in lower-case hexadecimal: some file systems do not tell a from A. Anything else in its
 * place is damage, and never reaches a path.
 */
export const idSchema = z.string().regex(/^[0-9a-f]{32}$/);

export function newId(): string {
  return randomBytes(16).toString("hex");
}

/** @throws RangeError where the text is no id */
export function idBytes(id: string): Buffer {
  if (!idSchema.safeParse(id).success) throw new RangeError("not an id");
  return Buffer.from(id, "hex");
}

/** The names hidden folders get: a dot and 20 random hexadecimal digits. */
export const HIDDEN_NAME = /^\.[0-9a-f]{20}$/;

export function randomHiddenName(): Buffer {
  return Buffer.from(`.${randomBytes(10).toString("hex")}`);
}

const MOST_NAME_BYTES = 255;
/**
 * Names that Windows keeps for devices, with or without an extension; sticks are formatted so that it reads them.
 * Source: [MS-FSCC] §2.1.5.
 */
const DEVICE_NAME = /^(?:con|prn|aux|nul|com[0-9\u00b9\u00b2\u00b3]|lpt[0-9\u00b9\u00b2\u00b3])(?:\.|$)/i;

/** Why a name can't be a cover name, to stand after "a cover name "; null: it can. */
export function whyNotCover(name: string): string | null {
  if (name.trim() === "") return say("cover-is-not-empty");
  if (Buffer.byteLength(name) > MOST_NAME_BYTES) return say("cover-has-at-most", { bytes: MOST_NAME_BYTES });
  if (name.startsWith(".")) return say("cover-has-no-dot-first");
  if (/[\u0000-\u001f/]/.test(name)) return say("cover-has-no-slash");
  if (/["*:<>?\\|]/.test(name) || /[. ]$/.test(name)) return say("cover-has-none-of");
  if (DEVICE_NAME.test(name)) return say("cover-is-no-device");
  return null;
}

/** The name a folder has while it is locked. In a record it is a name of its own directory, never a path. */
export const lockedNameSchema = z.string().refine((name) => HIDDEN_NAME.test(name) || whyNotCover(name) === null);

/** In a record: only a folder in view has a cover name, only one that hides a random one. */
export function isFittingName({
  visibility,
  lockedName,
}: {
  readonly visibility: string;
  readonly lockedName: string | null;
}): boolean {
  return lockedName === null || HIDDEN_NAME.test(lockedName) === (visibility !== "view");
}

/** SHA-256 in lower-case hexadecimal. */
export const digestSchema = z.string().regex(/^[0-9a-f]{64}$/);

/** One piece of work that writes into a folder: everything it writes bears this, so that what was cut off is known. */
export const batchSchema = z.string().regex(/^[0-9a-f]{16}$/);
export const BATCH_BYTES = 8;

export function newBatch(): string {
  return randomBytes(BATCH_BYTES).toString("hex");
}
