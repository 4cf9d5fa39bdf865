import * as z from "zod";
import { nothing, owner, pdfSchema, startedSchema } from "./call";
import { goesInSchema, handedOverSchema, packageFormSchema } from "./shapes/hand-over";
import { textSchema as text } from "./shapes/rules";
import { secretSchema, secretText } from "./shapes/secrets";
import { mailAddressSchema, personNameSchema } from "./ways-back-calls";

const secret = secretSchema.nullable().default(null);
const to = z.string().max(200).default("");
const note = z.string().max(2000).default("");
const one = z.strictObject({ id: text });
/** A path, or the id of a protected folder; and its own password, where it has one. */
const what = z.strictObject({
  path: text,
  secret,
  /** Of a locked folder these entries alone, as a visit names them. */
  hrefs: z.array(text).min(1).max(10_000).readonly().nullable().default(null),
});
/** The package's, once more: it is not kept. */
const told = one.extend({ password: secretText });

/** Packages for somebody else, and those of others. */
export const HAND_OVER_CALLS = {
  "hand-over/plan": owner("What would go into a package.", what, goesInSchema),
  "hand-over": owner(
    "Makes a package for somebody else, with a password of its own. Weak ones and the master password are refused.",
    what.extend({
      form: packageFormSchema,
      hidesNames: z.boolean().default(false),
      password: secretText,
      at: text,
      to,
      note,
    }),
    startedSchema,
  ),
  "hand-over/made": owner(
    "What was handed over, to whom and when; the newest first.",
    nothing,
    z.array(handedOverSchema),
  ),
  "hand-over/note": owner(
    "Writes down to whom a package went, and what the owner wants to remember of it.",
    one.extend({ to, note }),
    nothing,
  ),
  "hand-over/forget": owner("What was written down of one package goes; the package stays where it is.", one, nothing),
  "hand-over/paper": owner("A paper to print with a package's password, apart from the package.", told, pdfSchema),
  "hand-over/mail": owner(
    "Sends that paper to somebody, never with the package.",
    told.extend({ name: personNameSchema, mail: mailAddressSchema }),
    nothing,
  ),
  receive: owner(
    "Takes out what is in a package of somebody's: into a new locked folder, with nothing readable on the disk, or readable.",
    z.strictObject({ path: text, password: secretText, at: text, lock: z.boolean() }),
    startedSchema,
  ),
} as const;
