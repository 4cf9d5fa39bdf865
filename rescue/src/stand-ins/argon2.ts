import { argon2id } from "hash-wasm";

/** Argon2id (RFC 9106) without a native package, by the same call. */
interface Options {
  readonly memoryCost: number;
  readonly timeCost: number;
  readonly parallelism: number;
  readonly outputLen: number;
  readonly salt: Uint8Array;
}

export async function hashRaw(
  password: Uint8Array,
  { memoryCost, timeCost, parallelism, outputLen, salt }: Options,
): Promise<Uint8Array> {
  return Buffer.from(
    await argon2id({
      password,
      salt,
      memorySize: memoryCost,
      iterations: timeCost,
      parallelism,
      hashLength: outputLen,
      outputType: "binary",
    }),
  );
}
