import * as z from "zod";
import { EremosError, displayPath } from "@eremos/core";
import { CALLS, type CallName } from "../../calls";
import type { CallShape } from "../../calls/call";
import type { Eremos } from "../../eremos";
import { decodePath, typedPath } from "../../paths";
import type { Call } from "./answer";
import { ACTIVITY } from "./activity";
import { ENTRANCE } from "./entrance";
import { FOLDERS } from "./folders";
import { HAND_OVER } from "./hand-over";
import { SETTINGS } from "./settings";
import { VISITS } from "./visits";
import { WAYS_BACK } from "./ways-back";
import { said } from "@eremos/words/server/house";

export type { ApiContext, Call } from "./answer";

const ANSWERS = { ...ENTRANCE, ...FOLDERS, ...VISITS, ...HAND_OVER, ...WAYS_BACK, ...ACTIVITY, ...SETTINGS };

/** The call at an address below `/api/`, or null. */
export function callNamed(name: string): CallName | null {
  return Object.hasOwn(CALLS, name) ? (name as CallName) : null;
}

/**
 * The one door to the operations: whoever may not make the call is refused before it is read; what is asked is checked
 * against the table; what it names answers; and only then the operation begins. Of what that tells, only what the table
 * has leaves. @throws EremosError `needs-sign-in` | `usage` | `no-answer`, and as the operation
 */
export async function answer(name: CallName, call: Call, read: () => Promise<unknown>): Promise<unknown> {
  const shape: CallShape = CALLS[name];
  if (shape.who === "owner" && !call.signedIn)
    throw new EremosError("needs-sign-in", said("sign-in-first-nothing-was"));
  const parsed = shape.input.safeParse(await read());
  if (!parsed.success) throw new EremosError("usage", said("request-is-not-in-form"));
  await call.context.eremos.looker.answers(namedIn(call.context.eremos, parsed.data));
  const operation = ANSWERS[name] as (call: Call, asked: unknown) => unknown;
  return shape.output.parse(await operation(call, parsed.data));
}

const named = z.object({
  path: z.string().optional().catch(undefined),
  folder: z.string().optional().catch(undefined),
  at: z.string().nullish().catch(undefined),
  places: z.array(z.string()).nullish().catch(undefined),
});

/** The paths, and the protected folders, that a call names: what they lie on answers before an operation begins. */
function namedIn(eremos: Eremos, asked: unknown): string[] {
  const { path, folder, at: found, places } = named.parse(asked);
  const record = eremos.keys && eremos.registry.list(eremos.keys).find(({ id }) => id === folder);
  const at = record ? displayPath(decodePath(record.path)) : folder;
  return [path, at, found, ...(places ?? [])].flatMap((one) => {
    const typed = one ?? "";
    return /^[/~]|^file:/.test(typed) ? [typedPath(typed, eremos.settings.home)] : [];
  });
}
