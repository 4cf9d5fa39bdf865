import * as z from "zod";
import { anybody, nothing, owner } from "./call";
import { passwordChangedSchema, shownCodeSchema, signedInSchema, stateViewSchema } from "./shapes/owner";
import { textSchema as text } from "./shapes/rules";
import { backSchema, secretText } from "./shapes/secrets";

const typedBack = z.strictObject({ id: text, groups: z.array(text).max(8) });
const newPassword = z.strictObject({ password: secretText, hint: text.nullable() });

/** The gate: in, out, and the master password. */
export const ENTRANCE_CALLS = {
  hello: anybody(
    "A server that knows its own secret proves that it is the one of this account.",
    z.strictObject({ nonce: z.string().regex(/^[0-9a-f]{64}$/) }),
    z.strictObject({ proof: z.string() }),
  ),
  state: anybody("What anybody before the gate may know.", nothing, stateViewSchema),
  "setup/begin": anybody(
    "Chooses the first master password; the recovery code it answers with is to be typed back.",
    newPassword,
    shownCodeSchema,
  ),
  "setup/finish": anybody("Ends the first run with what was typed back, and signs in.", typedBack, signedInSchema),
  "sign-in": anybody("Opens the gate.", z.strictObject({ password: secretText }), signedInSchema),
  "sign-out": owner(
    "Locks the keys away, and the folders whose rules say so.",
    z.strictObject({ leaveOpen: z.boolean().default(false) }),
    nothing,
  ),
  "own-data/told": owner("What was wrong with Eremos' own data is known to its owner.", nothing, nothing),
  pin: owner("Sets a PIN for this session, or none.", z.strictObject({ pin: text.nullable() }), nothing),
  "pin/return": anybody("Back after an idle sign-out.", z.strictObject({ pin: text }), signedInSchema),
  "stay/set": owner(
    "Stays signed in on this account from now on, with the master password; or, without, no longer.",
    z.strictObject({ current: secretText.nullable() }),
    nothing,
  ),
  "stay/return": anybody("Signs in whoever chose to stay signed in.", nothing, signedInSchema),
  touch: owner("Somebody is at the page.", nothing, nothing),
  password: owner("Another master password.", newPassword.extend({ current: secretText }), passwordChangedSchema),
  forgotten: anybody(
    "Another master password, by the recovery code or the keyholders' shares; signs in.",
    newPassword.extend({ secret: backSchema }),
    signedInSchema.unwrap().extend(passwordChangedSchema.unwrap().shape),
  ),
  "code/check": anybody(
    "Which groups of a recovery code were mistyped, as far as its own check digits tell.",
    z.strictObject({ code: text }),
    z.strictObject({ wrong: z.array(z.number()).readonly() }),
  ),
  "code/begin": owner(
    "Another recovery code, which is to be typed back.",
    z.strictObject({ current: secretText }),
    shownCodeSchema,
  ),
  "code/finish": owner("The new recovery code takes the place of the one before.", typedBack, passwordChangedSchema),
} as const;
