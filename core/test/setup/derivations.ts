import type * as packaged from "@node-rs/argon2";
import { createHash } from "node:crypto";
import { createRequire } from "node:module";

type Argon2 = typeof packaged;

/**
 * A test signs in with the same password again and again, and the work of that is by design: one process does it once
 * for each password, salt and cost.
 */
const argon2 = createRequire(import.meta.url)("@node-rs/argon2") as { -readonly [K in keyof Argon2]: Argon2[K] };
const derived = new Map<string, Promise<Buffer>>();

const once =
  (derive: Argon2["hashRaw"]): Argon2["hashRaw"] =>
  async (password, options, signal) => {
    const { salt, ...cost } = options ?? {};
    if (!salt) return derive(password, options, signal);
    const asked = createHash("sha256").update(JSON.stringify(cost)).update(salt).update(password).digest("hex");
    const known = derived.get(asked) ?? derive(password, options, signal);
    derived.set(asked, known);
    // Each caller wipes its own.
    return Buffer.from(await known);
  };

const DERIVING_ONCE = Symbol.for("eremos: deriving once");
if (!(DERIVING_ONCE in argon2)) Object.assign(argon2, { hashRaw: once(argon2.hashRaw), [DERIVING_ONCE]: true });
