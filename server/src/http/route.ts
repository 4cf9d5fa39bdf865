import type { ServerResponse } from "node:http";
import * as z from "zod";
import { EremosError, displayPath } from "@eremos/core";
import type { Eremos } from "../eremos";
import { decodePath, typedPath } from "../paths";
import type { Sessions } from "../session/sessions";

export interface ApiContext {
  readonly eremos: Eremos;
  readonly sessions: Sessions;
  readonly cookieName: string;
  /** By which this server proves to the owner's own programs that it is the owner's. */
  readonly secret: string;
  readonly watchPlace: (path: string) => void;
}

export interface Call {
  readonly context: ApiContext;
  readonly response: ServerResponse;
  readonly signedIn: boolean;
}

export interface Route {
  /** May be called before sign-in. */
  readonly open: boolean;
  run(call: Call, body: unknown): Promise<unknown>;
}

/** One door to the operations: reads the body, checks it, calls. */
export function route<S extends z.ZodType>(
  open: boolean,
  schema: S,
  run: (call: Call, body: z.output<S>) => unknown,
): Route {
  return {
    open,
    run: async (call, body) => {
      const parsed = schema.safeParse(body);
      if (!parsed.success)
        throw new EremosError("usage", "The request is not in a form Eremos knows. Nothing was touched.");
      await call.context.eremos.looker.answers(namedIn(call.context.eremos, parsed.data));
      return run(call, parsed.data);
    },
  };
}

/** The paths, and the protected folders, that a call names: what they lie on answers before an operation begins. */
function namedIn(eremos: Eremos, body: unknown): string[] {
  const { path, folder, places } = named.parse(body);
  const record = eremos.keys && eremos.registry.list(eremos.keys).find(({ id }) => id === folder);
  const at = record ? displayPath(decodePath(record.path)) : folder;
  return [path, at, ...(places ?? [])].flatMap((one) => {
    const typed = one ?? "";
    return /^[/~]|^file:/.test(typed) ? [typedPath(typed, eremos.settings.home)] : [];
  });
}

const named = z.object({
  path: z.string().optional().catch(undefined),
  folder: z.string().optional().catch(undefined),
  places: z.array(z.string()).nullish().catch(undefined),
});

export const nothing = z.object({});
export const text = z.string().max(4096);

/** A path from the page is always whole. */
export const FROM = "/";

export function beginSession({ context, response }: Call): string {
  const { cookie, tab } = context.sessions.create();
  response.setHeader("Set-Cookie", `${context.cookieName}=${cookie}; HttpOnly; SameSite=Strict; Path=/`);
  return tab;
}
