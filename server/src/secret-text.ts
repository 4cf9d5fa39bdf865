import * as z from "zod";

/** A password from the page: bytes, never text, which are overwritten when the call has its answer. */
export const secretText = z.instanceof(Uint8Array).refine(({ length }) => length <= 4096);
