/** What opens, as it comes in: passwords as bytes. Pure: the pages read it too. */
import * as z from "zod";
import { MOST_KEYHOLDERS } from "@eremos/core/choices";
import { textSchema } from "./rules";

/** A password from the page: bytes, never text, which are overwritten when the call has its answer. */
export const secretText = z.instanceof(Uint8Array).refine(({ length }) => length <= 4096);

const byCode = z.strictObject({ kind: z.literal("code"), code: textSchema });
const byShares = z.strictObject({
  kind: z.literal("shares"),
  shares: z.array(textSchema).max(MOST_KEYHOLDERS).readonly(),
});
/** The ways back without a password. */
export const backSchema = z.discriminatedUnion("kind", [byCode, byShares]);
/** What opens a folder that has a password of its own. */
export const secretSchema = z.discriminatedUnion("kind", [
  z.strictObject({ kind: z.literal("password"), password: secretText }),
  byCode,
  byShares,
]);
/** What opens a folder that was found, whosever it is. */
export const rescueSecretSchema = z.discriminatedUnion("kind", [
  z.strictObject({ kind: z.literal("password"), password: secretText, folderPassword: secretText.nullable() }),
  byCode,
  byShares,
]);
/** A password for one folder, needed on top of the master password. */
export const newFolderPasswordSchema = z.strictObject({ password: secretText, hint: textSchema.nullable() });

/** As whoever asks has it: passwords as they are typed. */
export type Typed<T> = T extends Uint8Array
  ? string
  : T extends readonly (infer E)[]
    ? readonly Typed<E>[]
    : T extends object
      ? { readonly [K in keyof T]: Typed<T[K]> }
      : T;

export type BackSecret = Typed<z.output<typeof backSchema>>;
export type FolderSecret = Typed<z.output<typeof secretSchema>>;
export type TakeInSecret = Typed<z.output<typeof rescueSecretSchema>>;
export type TypedFolderPassword = Typed<z.output<typeof newFolderPasswordSchema>>;
