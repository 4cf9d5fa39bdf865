/** Packages for somebody else: what they are made of, and what is remembered of them. Pure: the pages read it too. */
import * as z from "zod";

export const packageFormSchema = z.enum(["page", "zip", "folder"]);
export type PackageForm = z.output<typeof packageFormSchema>;
/** Of the names of packages. */
export const PACKAGE_ENDINGS: Readonly<Record<PackageForm, string>> = { page: ".html", zip: ".zip", folder: "" };

export const stayedOutSchema = z.object({ path: z.string(), reason: z.string() }).readonly();
/** How the original lies there. */
const liesSchema = z.enum(["locked", "open", "readable"]);
export type Lies = z.output<typeof liesSchema>;

/** What would go into a package. */
export const goesInSchema = z
  .object({
    name: z.string(),
    path: z.string(),
    lies: liesSchema,
    files: z.number(),
    bytes: z.number(),
    /** What stays out: the first of it, and how much it is. */
    left: z.array(stayedOutSchema).readonly(),
    leftCount: z.number(),
    /** Where the package could be, without the ending of its form. */
    suggested: z.string(),
  })
  .readonly();
export type GoesInView = z.output<typeof goesInSchema>;

export const handedOverSchema = z
  .object({
    id: z.string(),
    /** Of the work that made it. */
    job: z.string(),
    /** Milliseconds since 1970. */
    at: z.number(),
    /** Of a protected folder its id; empty: of something else. */
    folder: z.string(),
    /** What it was made of, as a path. */
    what: z.string(),
    lies: liesSchema,
    form: packageFormSchema,
    path: z.string(),
    files: z.number(),
    /** Bytes of the package. */
    size: z.number(),
    /** Hexadecimal; null for a locked folder. */
    sha256: z.string().nullable(),
    /** To whom, and what the owner wrote down about it. */
    to: z.string(),
    note: z.string(),
  })
  .readonly();
export type HandedOverView = z.output<typeof handedOverSchema>;
