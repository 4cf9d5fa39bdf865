import type { ServerResponse } from "node:http";
import type * as z from "zod";
import type { CallShape } from "../../calls/call";
import type { Eremos } from "../../eremos";
import { BY_HAND } from "../../paths";
import type { Sessions } from "../../session/sessions";

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

/** For each call of a table, what answers it: the operation, with what was asked. */
export type Answers<T extends Readonly<Record<string, CallShape>>> = {
  readonly [N in keyof T]: (
    call: Call,
    asked: z.output<T[N]["input"]>,
  ) => z.output<T[N]["output"]> | Promise<z.output<T[N]["output"]>>;
};

/** Paths come from the page as people type and paste them. */
export const FROM = BY_HAND;

export function beginSession({ context, response }: Call): string {
  const { cookie, tab } = context.sessions.create();
  response.setHeader("Set-Cookie", `${context.cookieName}=${cookie}; HttpOnly; SameSite=Strict; Path=/`);
  return tab;
}
