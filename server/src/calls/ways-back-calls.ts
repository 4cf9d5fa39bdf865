import * as z from "zod";
import { LEAST_THRESHOLD, MOST_KEYHOLDERS } from "@eremos/core/choices";
import { anybody, nothing, owner, pdfSchema, startedSchema } from "./call";
import { passwordChangedSchema, signedInSchema } from "./shapes/owner";
import { textSchema as text } from "./shapes/rules";
import { backSchema, rescueSecretSchema, secretSchema, secretText } from "./shapes/secrets";
import {
  copyViewSchema,
  hiddenViewSchema,
  interruptionViewSchema,
  keyholdersViewSchema,
  mailServerViewSchema,
  permissionsViewSchema,
  practiceViewSchema,
  rescueFileSchema,
  scanViewSchema,
  sharesLookSchema,
  takenInSchema,
} from "./shapes/ways-back";

/** An owner's or a keyholder's. */
export const personNameSchema = z.string().trim().min(1).max(200);
export const mailAddressSchema = z.email().max(254);
const holderSchema = z.strictObject({ name: personNameSchema, mail: mailAddressSchema.nullable() });

/** How mail leaves this computer. Without encryption only to this computer itself. */
export const mailServerSchema = z
  .strictObject({
    host: z.string().trim().min(1).max(253),
    port: z.int().min(1).max(65535),
    security: z.enum(["tls", "starttls", "none"]),
    user: z.string().max(320),
    password: z.string().max(1024),
    from: mailAddressSchema,
  })
  .refine(
    ({ host, security }) => security !== "none" || ["localhost", "127.0.0.1", "::1"].includes(host),
    "without encryption only to this computer",
  );

const namedSchema = z.strictObject({
  current: secretText,
  /** Whose folders they open, as it is to stand on the sheets. */
  of: personNameSchema,
  threshold: z.int().min(LEAST_THRESHOLD).max(MOST_KEYHOLDERS),
  holders: z.array(holderSchema).min(LEAST_THRESHOLD).max(MOST_KEYHOLDERS).readonly(),
});

/** The password of a mail server is kept, and sent to it, as text. */
function withTextPassword(server: unknown): unknown {
  if (
    typeof server !== "object" ||
    server === null ||
    !("password" in server) ||
    !(server.password instanceof Uint8Array)
  )
    return server;
  return { ...server, password: new TextDecoder().decode(server.password) };
}

const path = z.strictObject({ path: text });
const folder = z.strictObject({ folder: text });
const found = z.strictObject({ id: text });
const numbered = z.strictObject({ number: z.int().min(1).max(MOST_KEYHOLDERS) });
const somePlaces = z.strictObject({ places: z.array(text).max(64).readonly().nullable() });
const withFork = path.extend({ fork: text.nullable() });

/** Getting back in, everything out, and damage. */
export const WAYS_BACK_CALLS = {
  // Before there is an owner, whoever sits here may look for their own folders; afterwards only the owner.
  scan: anybody(
    "What a search for folders has found so far. Before there is an owner, for anybody; afterwards for the owner.",
    z.strictObject({ upTo: z.int().min(1).max(10_000).default(100) }),
    scanViewSchema,
  ),
  "scan/start": anybody("Searches some places, or all, for folders. Likewise.", somePlaces, nothing),
  "scan/stop": anybody("Ends the search. Likewise.", nothing, nothing),
  "scan/take-in": owner(
    "Takes a found folder into the list.",
    path.extend({ secret: rescueSecretSchema.nullable(), accept: z.array(z.literal("costly")).max(1).default([]) }),
    folder,
  ),
  "scan/take-in-all": owner("Takes in everything of this owner's that was found.", nothing, takenInSchema),
  return: anybody(
    "An owner who has been here before comes back by a folder of theirs; signs in. Before there is an owner.",
    path.extend({ secret: secretSchema, password: secretText.nullable(), hint: text.nullable() }),
    signedInSchema.unwrap().extend(takenInSchema.unwrap().shape),
  ),
  sheet: anybody(
    "The recovery code on a sheet to print. Nothing of it is kept.",
    z.strictObject({ code: text }),
    pdfSchema,
  ),
  "rescue-files": anybody(
    "The readers that open locked folders without Eremos.",
    nothing,
    z.array(rescueFileSchema).readonly(),
  ),
  practice: owner(
    "Whether the recovery code, or the shares, open each sealed folder, tried now.",
    z.strictObject({ secret: backSchema }),
    practiceViewSchema,
  ),
  mend: owner(
    "Writes damaged records anew from their copies.",
    path.extend({ secret: secretSchema.nullable() }),
    z.strictObject({ mended: z.array(z.string()).readonly() }),
  ),
  permissions: owner(
    "Whether this account gets at a folder, and what of its permissions is not as it was recorded; sets them back.",
    folder.extend({ secret: secretSchema.nullable(), repair: z.boolean() }),
    permissionsViewSchema,
  ),
  "copies/compare": owner("What a second copy, or another computer's state, has.", withFork, copyViewSchema),
  "copies/take": owner(
    "Takes files of it into the locked folder.",
    withFork.extend({ ids: z.array(z.string().max(20_000)).min(1).max(1000) }),
    startedSchema,
  ),
  "copies/let-go": owner("Another computer's state is not needed any more.", folder.extend({ fork: text }), nothing),
  hidden: owner("What is hidden by other means than Eremos, as far as it was found.", nothing, hiddenViewSchema),
  "hidden/start": owner("Searches for it in some places, or all.", somePlaces, nothing),
  "hidden/stop": owner("Ends that search.", nothing, nothing),
  "hidden/bring": owner("Brings back one thing that was found.", found, path),
  "hidden/script": owner(
    "Undoes a home-made lock; null: what it hides was not found.",
    found,
    z.strictObject({ path: z.string().nullable() }),
  ),
  "hidden/again": owner("Hides what was brought back as it was.", found, nothing),
  interruptions: owner(
    "Work that was cut off, until its owner says what is to become of it.",
    nothing,
    z.array(interruptionViewSchema).readonly(),
  ),
  "interruptions/forget": owner("It is known.", folder, nothing),
  "put-right": owner(
    "Brings every folder whose operation was cut off into a whole state.",
    nothing,
    z.strictObject({ folders: z.array(z.string()).readonly() }),
  ),
  "shares/look": anybody(
    "Shares that are being collected, each by itself; `at`: those of a found folder's owner.",
    z.strictObject({ shares: z.array(text).max(MOST_KEYHOLDERS), at: text.nullable() }),
    z.strictObject({ look: sharesLookSchema.nullable() }),
  ),
  keyholders: owner(
    "The keyholders, without their shares; null: there are none.",
    nothing,
    z.strictObject({ keyholders: keyholdersViewSchema.nullable() }),
  ),
  "keyholders/name": owner("Names keyholders; those before open nothing any more.", namedSchema, passwordChangedSchema),
  "keyholders/drop": owner("No keyholders any more.", z.strictObject({ current: secretText }), passwordChangedSchema),
  "keyholders/sheet": owner("A keyholder's share on a sheet to print.", numbered, pdfSchema),
  "keyholders/mail": owner("Sends a keyholder their share.", numbered, nothing),
  "mail-server": owner(
    "How mail leaves this computer, without the password.",
    nothing,
    z.strictObject({ server: mailServerViewSchema.nullable() }),
  ),
  "mail-server/set": owner(
    "Another way for mail to leave this computer, or none.",
    z.strictObject({ server: z.preprocess(withTextPassword, mailServerSchema.nullable()) }),
    nothing,
  ),
} as const;
