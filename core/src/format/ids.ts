import { z } from "zod";

/** An id is base64url of 16 bytes; anything else in its place is damage, and never reaches a path. */
export const idSchema = z.string().regex(/^[A-Za-z0-9_-]{22}$/);

/** The names hidden folders get: a dot and 20 random hexadecimal digits. */
export const HIDDEN_NAME = /^\.[0-9a-f]{20}$/;
export const hiddenNameSchema = z.string().regex(HIDDEN_NAME);
