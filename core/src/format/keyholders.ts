import type { Said } from "@eremos/words";
import { combine, split } from "shamir-secret-sharing";
import * as z from "zod";
import { openBox, sealBoxText } from "../crypto/box";
import { equalBytes, fromBase64, randomBytes, sha256, toBase64, wipe } from "../crypto/bytes";
import { generateKeyPair } from "../crypto/envelope";
import { hkdf } from "../crypto/kdf";
import { EremosError } from "../errors/eremos-error";
import {
  GROUP_LENGTH,
  formatGroups,
  mistypedGroupsOf,
  nameGroups,
  normaliseCodeText,
  parseGroups,
} from "./codes/code-groups";
import { LEAST_THRESHOLD, MOST_KEYHOLDERS } from "./choices";
import { said, say } from "@eremos/words/core/format";

/**
 * Keyholders: a secret of its own, split by Shamir's scheme over GF(2^8), so that any `threshold` of the shares lead to
 * it and fewer tell nothing. It opens a key pair of its own. FORMAT.md §3.4.
 *
 *   share: version (1) ‖ threshold (1) ‖ set (4) ‖ point of the secret (20) ‖ coordinate (1) ‖ SHA-256 of these (3), as
 * 12 groups of 5 characters
 */
const SECRET_BYTES = 20;
const SET_BYTES = 4;
const POINT_BYTES = SECRET_BYTES + 1;
const POINT_AT = 2 + SET_BYTES;
const CHECKSUM_AT = POINT_AT + POINT_BYTES;
const SHARE_BYTES = 30;
const SHARE_VERSION = 1;
export const SHARE_GROUPS = 12;

const text = z.string().max(4096);
/** What stands in the owner envelope, readable: the number of shares and how many are needed, and nobody's name. */
export const keyholdersShape = {
  set: z.string().regex(/^[0-9a-f]{8}$/),
  threshold: z.int().min(LEAST_THRESHOLD).max(MOST_KEYHOLDERS),
  /** One for each share, by which it is known without the others. */
  checks: z.array(z.string().max(64)).min(LEAST_THRESHOLD).max(MOST_KEYHOLDERS),
  publicKey: text,
  privateKey: text,
};
export type Keyholders = z.output<z.ZodObject<typeof keyholdersShape>>;

interface Share {
  readonly set: string;
  readonly threshold: number;
  readonly point: Buffer;
}

function purpose(owner: string): string {
  return `owner/${owner}/keyholders`;
}

function checkOf(owner: string, set: string, point: Uint8Array): string {
  return toBase64(hkdf(point, Buffer.from(owner, "utf8"), `eremos/2/share-check/${set}`, 16));
}

/** A new set. The shares are for handing out: each belongs to the check at its place. @throws RangeError */
export async function newKeyholders(
  owner: string,
  threshold: number,
  count: number,
): Promise<{ readonly keyholders: Keyholders; readonly shares: readonly string[] }> {
  if (!Number.isInteger(threshold) || threshold < LEAST_THRESHOLD || threshold > count)
    throw new RangeError(`threshold must be from ${LEAST_THRESHOLD} to the number of keyholders, got ${threshold}`);
  if (!Number.isInteger(count) || count > MOST_KEYHOLDERS)
    throw new RangeError(`count must be at most ${MOST_KEYHOLDERS}, got ${count}`);
  const secret = randomBytes(SECRET_BYTES);
  const set = randomBytes(SET_BYTES);
  const key = hkdf(secret, Buffer.from(owner, "utf8"), "eremos/2/keyholders");
  const pair = await generateKeyPair();
  const points = (await split(Uint8Array.from(secret), count, threshold)).map((point) => Buffer.from(point));
  try {
    const keyholders = {
      set: set.toString("hex"),
      threshold,
      checks: points.map((point) => checkOf(owner, set.toString("hex"), point)),
      publicKey: toBase64(pair.publicKey),
      privateKey: sealBoxText(key, purpose(owner), pair.privateKey),
    };
    return { keyholders, shares: points.map((point) => formatShare(threshold, set, point)) };
  } finally {
    wipe(secret, key, pair.privateKey, ...points);
  }
}

function formatShare(threshold: number, set: Uint8Array, point: Uint8Array): string {
  const body = Buffer.concat([Buffer.from([SHARE_VERSION, threshold]), set, point]);
  return formatGroups("share", Buffer.concat([body, sha256(body).subarray(0, SHARE_BYTES - CHECKSUM_AT)]));
}

/** Of a share that is still being typed: the groups (0 to 11) that are whole and can't be right. */
export function mistypedShareGroups(typed: string): number[] {
  return mistypedGroupsOf("share", typed);
}

/** @throws EremosError `wrong-share` | `unknown-version` */
function readShare(typed: string): Share {
  const parsed = parseGroups("share", SHARE_BYTES, typed);
  if ("wrongGroups" in parsed)
    throw new EremosError("wrong-share", whyNotRead(typed, parsed.wrongGroups), {
      groups: parsed.wrongGroups.map((group) => String(group + 1)),
    });
  const { bytes } = parsed;
  if (
    !equalBytes(
      sha256(bytes.subarray(0, CHECKSUM_AT)).subarray(0, SHARE_BYTES - CHECKSUM_AT),
      bytes.subarray(CHECKSUM_AT),
    )
  )
    throw new EremosError("wrong-share", said("it-is-mistyped-its-groups"));
  if (bytes[0] !== SHARE_VERSION) throw new EremosError("unknown-version", said("this-share-was-made-by"));
  return {
    set: bytes.subarray(2, POINT_AT).toString("hex"),
    threshold: bytes[1] ?? 0,
    point: bytes.subarray(POINT_AT, CHECKSUM_AT),
  };
}

function whyNotRead(typed: string, wrong: readonly number[]): Said {
  if ("bytes" in parseGroups("code", SECRET_BYTES, typed)) return said("that-is-recovery-code-not");
  if (normaliseCodeText(typed).length === SHARE_GROUPS * GROUP_LENGTH)
    return said("it-is-mistyped-in-look", { groups: nameGroups(wrong) });
  const mistyped = mistypedShareGroups(typed);
  return said("that-is-not-whole-share", {
    of: SHARE_GROUPS,
    isMistyped: mistyped.length > 0,
    groups: mistyped.length > 0 ? nameGroups(mistyped) : "",
  });
}

export interface ShareLook {
  /** Which of the set it is, from 1; null where it is none of it. */
  readonly number: number | null;
  /** Why it is none, or does not count; null where it is good. */
  readonly problem: string | null;
}

export type AskedKeyholders = Pick<Keyholders, "set" | "threshold" | "checks">;

/**
 * Each share by itself, as they are collected: whether it is typed right, of this set, genuine, and not there already.
 */
export function lookAtShares(
  owner: string,
  keyholders: AskedKeyholders,
  typed: readonly string[],
): readonly ShareLook[] {
  const seen = new Set<number>();
  return typed.map((one): ShareLook => {
    try {
      const { set, point } = readShare(one);
      if (set !== keyholders.set)
        return {
          number: null,
          problem: say("it-belongs-another-set-somebody"),
        };
      const number = keyholders.checks.indexOf(checkOf(owner, set, point)) + 1;
      wipe(point);
      if (number === 0) return { number: null, problem: say("it-says-that-it-is") };
      if (seen.has(number)) return { number, problem: say("same-share-is-there-already") };
      seen.add(number);
      return { number, problem: null };
    } catch (error) {
      if (error instanceof EremosError) return { number: null, problem: error.message };
      throw error;
    }
  });
}

/**
 * The private half of the keyholders' pair, from enough of the shares; the caller wipes it.
 * @throws EremosError `wrong-share` naming which is wrong and why | `too-few-shares` | `damaged`
 */
export async function openKeyholdersKey(
  owner: string,
  keyholders: AskedKeyholders & Pick<Keyholders, "privateKey">,
  typed: readonly string[],
): Promise<Buffer> {
  const given = typed.filter((one) => one.trim() !== "");
  const looks = lookAtShares(owner, keyholders, given);
  const wrong = looks.findIndex(({ problem }) => problem !== null);
  if (wrong >= 0)
    throw new EremosError(
      "wrong-share",
      said("share-those-you-gave-cant", { wrong: wrong + 1, problem: looks[wrong]?.problem ?? "" }),
      { share: wrong + 1 },
    );
  const missing = keyholders.threshold - given.length;
  if (missing > 0)
    throw new EremosError(
      "too-few-shares",
      said("shares-are-here-more-are", { given: given.length, threshold: keyholders.threshold, missing }),
      { missing },
    );
  const points = given.slice(0, keyholders.threshold).map((one) => readShare(one).point);
  const secret = await combine(points.map((point) => Uint8Array.from(point)));
  const key = hkdf(secret, Buffer.from(owner, "utf8"), "eremos/2/keyholders");
  try {
    const privateKey = openBox(key, purpose(owner), fromBase64(keyholders.privateKey));
    if (typeof privateKey === "string") throw new EremosError("damaged", said("shares-are-genuine-and-keyholders"));
    return privateKey;
  } finally {
    wipe(secret, key, ...points);
  }
}
