import { z } from "zod";
import { randomBytes } from "../crypto/bytes";

/** An id is base64url of 16 bytes; anything else in its place is damage, and never reaches a path. */
export const idSchema = z.string().regex(/^[A-Za-z0-9_-]{22}$/);

/** The names hidden folders get: a dot and 20 random hexadecimal digits. */
export const HIDDEN_NAME = /^\.[0-9a-f]{20}$/;

export function randomHiddenName(): Buffer {
  return Buffer.from(`.${randomBytes(10).toString("hex")}`);
}

const MOST_NAME_BYTES = 255;

/** Why a name can't be a cover name, to stand after "a cover name "; null: it can. */
export function whyNotCover(name: string): string | null {
  if (name.trim() === "") return "is not empty";
  if (Buffer.byteLength(name) > MOST_NAME_BYTES) return `has at most ${MOST_NAME_BYTES} bytes`;
  if (name.startsWith(".")) return "does not begin with a dot, which would hide the folder";
  if (/[\u0000-\u001f/]/.test(name)) return "has no slash and no control characters";
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
