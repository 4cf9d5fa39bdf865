import { createHmac, hkdfSync } from "node:crypto";
import type { Options } from "@node-rs/argon2";
import { EremosError } from "../errors/eremos-error";
import { randomBytes, requireLiveKey } from "./bytes";
import { said } from "@eremos/words/core/format";

/** HKDF-SHA256 (RFC 5869). @throws TypeError for a key that was wiped */
export function hkdf(key: Uint8Array, salt: Uint8Array, info: string, length = 32): Buffer {
  requireLiveKey(key);
  return Buffer.from(hkdfSync("sha256", key, salt, info, length));
}

/** HMAC-SHA256 (RFC 2104). @throws TypeError for a key that was wiped */
export function hmac(key: Uint8Array, ...parts: readonly Uint8Array[]): Buffer {
  requireLiveKey(key);
  const mac = createHmac("sha256", key);
  for (const part of parts) mac.update(part);
  return mac.digest();
}

/** Argon2id parameters (RFC 9106). Memory in KiB. FORMAT.md §3.1. */
export interface PasswordCost {
  readonly memoryKiB: number;
  readonly passes: number;
  readonly lanes: number;
}

/**
 * What a reader accepts from a header nobody has authenticated yet: the most that a writer ever uses, so that a hostile
 * header costs no more than a heavy one. FORMAT.md §3.1.
 */
const COST_LIMITS = { memoryKiB: 256 * 1024, passes: 16, lanes: 8 } as const;
/** What a writer uses at the least. */
export const LEAST_COST: PasswordCost = { memoryKiB: 64 * 1024, passes: 3, lanes: 4 };
/** What a writer uses at the most memory, so that a browser can still open the folder within seconds. */
const WRITER_MEMORY_KIB = COST_LIMITS.memoryKiB;
const SALT_BYTES = 16;
/** The package's enumerations exist in its types only. */
const ARGON2ID = 2 satisfies NonNullable<Options["algorithm"]>;
const VERSION_19 = 1 satisfies NonNullable<Options["version"]>;

export interface PasswordHashing extends PasswordCost {
  readonly salt: Buffer;
}

export function newPasswordHashing(cost: PasswordCost): PasswordHashing {
  return { ...cost, salt: randomBytes(SALT_BYTES) };
}

/** The PHC string without a hash: `$argon2id$v=19$m=262144,t=8,p=4$<salt>` (base64 without padding). */
export function formatPasswordHashing(hashing: PasswordHashing): string {
  const salt = hashing.salt.toString("base64").replace(/=+$/, "");
  return `$argon2id$v=19$m=${hashing.memoryKiB},t=${hashing.passes},p=${hashing.lanes}$${salt}`;
}

/** What one look at a password takes: KiB of memory times passes over it. */
export function workOf({ memoryKiB, passes }: PasswordCost): number {
  return memoryKiB * passes;
}

/**
 * What was measured as the same effort, on a busy machine and on an idle one, differs by so much: that is no reason to
 * ask.
 */
const MEASURES_DIFFER = 2;

/**
 * `most`: what one look may take, as {@link workOf}; whoever wrote the text may be anybody.
 * @throws EremosError `damaged` when it is not such a string or goes beyond {@link COST_LIMITS}; `costly` when it asks
 * for far more than `most`
 */
export function parsePasswordHashing(text: string, most = Number.POSITIVE_INFINITY): PasswordHashing {
  const match = /^\$argon2id\$v=19\$m=(\d{1,9}),t=(\d{1,3}),p=(\d{1,3})\$([A-Za-z0-9+/]{16,64})$/.exec(text);
  const [, memory, passes, lanes, salt] = match ?? [];
  if (!memory || !passes || !lanes || !salt) throw new EremosError("damaged", said("password-settings-in-this-header"));
  const hashing = {
    memoryKiB: Number(memory),
    passes: Number(passes),
    lanes: Number(lanes),
    salt: Buffer.from(salt, "base64"),
  };
  const fits =
    hashing.memoryKiB >= 8 * hashing.lanes &&
    hashing.memoryKiB <= COST_LIMITS.memoryKiB &&
    hashing.passes >= 1 &&
    hashing.passes <= COST_LIMITS.passes &&
    hashing.lanes >= 1 &&
    hashing.lanes <= COST_LIMITS.lanes;
  if (!fits) throw new EremosError("damaged", said("this-header-asks-for-more"));
  const times = Math.ceil(workOf(hashing) / most);
  if (workOf(hashing) > MEASURES_DIFFER * most)
    throw new EremosError("costly", said("look-at-this-password-would", { times }), { times });
  return hashing;
}

/**
 * As it was typed, or the UTF-8 of its NFC: bytes can be overwritten when they are not needed any more, which text
 * can't.
 */
export type Password = string | Uint8Array;

/**
 * Password → 32 bytes. Text is normalised to NFC and encoded as UTF-8. Runs off the main thread. @throws TypeError for
 * bytes that were wiped
 */
export async function hashPassword(password: Password, hashing: PasswordHashing): Promise<Buffer> {
  if (typeof password !== "string") requireLiveKey(password);
  const bytes = typeof password === "string" ? Buffer.from(password.normalize("NFC"), "utf8") : password;
  try {
    // Loaded by the first who hashes: most of what is done needs no password.
    const { hashRaw } = await import("@node-rs/argon2");
    return await hashRaw(bytes, {
      algorithm: ARGON2ID,
      version: VERSION_19,
      memoryCost: hashing.memoryKiB,
      timeCost: hashing.passes,
      parallelism: hashing.lanes,
      outputLen: 32,
      salt: hashing.salt,
    });
  } finally {
    if (bytes !== password) bytes.fill(0);
  }
}

/**
 * How much work one try of a password is meant to be: about so long on the machine where it was chosen, in
 * milliseconds.
 */
const EFFORTS = { light: 350, standard: 700, heavy: 2100 } as const;
export type Effort = keyof typeof EFFORTS;

interface MeasuredCost extends PasswordCost {
  /** What one try takes on this machine. */
  readonly milliseconds: number;
}

/**
 * Measures this machine and chooses for each effort the cost that takes about so long here (never below {@link
 * LEAST_COST}).
 */
export async function measurePasswordCosts(): Promise<Readonly<Record<Effort, MeasuredCost>>> {
  const probe: PasswordCost = { memoryKiB: WRITER_MEMORY_KIB, passes: 2, lanes: 4 };
  const times: number[] = [];
  for (let run = 0; run < 2; run++) {
    const start = performance.now();
    await hashPassword("measure", newPasswordHashing(probe));
    times.push(performance.now() - start);
  }
  const perPass = Math.min(...times) / probe.passes;
  const costOf = (effort: Effort): MeasuredCost => {
    // The light one takes half the memory, so that it is lighter on a slow machine too, where the least number of
    // passes holds.
    const share = effort === "light" ? 0.5 : 1;
    const passes = Math.max(
      LEAST_COST.passes,
      Math.min(COST_LIMITS.passes, Math.round(EFFORTS[effort] / (share * perPass))),
    );
    return { ...probe, memoryKiB: share * probe.memoryKiB, passes, milliseconds: Math.round(passes * share * perPass) };
  };
  return { light: costOf("light"), standard: costOf("standard"), heavy: costOf("heavy") };
}

/** Of two, the one by which a try takes more work. */
export function heavierCost(a: PasswordCost, b: PasswordCost): PasswordCost {
  const { memoryKiB, passes, lanes } = workOf(a) < workOf(b) ? b : a;
  return { memoryKiB, passes, lanes };
}

/** The cost of an effort on this machine. */
export async function measurePasswordCost(effort: Effort): Promise<PasswordCost> {
  const { memoryKiB, passes, lanes } = (await measurePasswordCosts())[effort];
  return { memoryKiB, passes, lanes };
}
