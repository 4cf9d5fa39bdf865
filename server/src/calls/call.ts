import * as z from "zod";

/** Anybody who has this account's browser, or only who is signed in. */
type Who = "anybody" | "owner";

/**
 * One call, as the server answers it, the page makes it, and docs/API.md tells it. What is asked holds nothing but
 * what stands here; of an answer, nothing else leaves.
 */
export interface CallShape<I extends z.ZodType = z.ZodType, O extends z.ZodType = z.ZodType> {
  readonly who: Who;
  /** In one line. */
  readonly about: string;
  readonly input: I;
  readonly output: O;
}

/** Before a sign-in, too. */
export function anybody<I extends z.ZodType, O extends z.ZodType>(about: string, input: I, output: O): CallShape<I, O> {
  return { who: "anybody", about, input, output };
}

export function owner<I extends z.ZodType, O extends z.ZodType>(about: string, input: I, output: O): CallShape<I, O> {
  return { who: "owner", about, input, output };
}

export const nothing = z.strictObject({});
/** Work that goes on by itself, and is followed by this. */
export const startedSchema = z.object({ job: z.string() });
/** Base64. */
export const pdfSchema = z.object({ pdf: z.string() });
