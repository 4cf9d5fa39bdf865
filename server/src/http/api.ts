import type { IncomingMessage, ServerResponse } from "node:http";
import * as z from "zod";
import { CONSENTS, EremosError, fromSystemError, isEremosError, wipe } from "@eremos/core";
import { CALL_TYPE, decodeCall } from "../call-body";
import { DESKTOP_PARTS } from "../desktop/desktop";
import { proofFor } from "../desktop/launcher";
import { desktopParts, setDesktopPart } from "../operations/folders/integrate";
import { activityOf, settingsOf, stateOf } from "../operations/folders/about";
import { modeSchema, rulesSchema } from "../locking-rules";
import { changeEffort, changePassword, efforts } from "../operations/entrance/change-password";
import { closeUp } from "../operations/locking/close-up";
import { newKeysView, renewNamed } from "../operations/ways-back/renew-folders";
import {
  newFolderPasswordSchema,
  prepareFolderPassword,
  secretSchema,
  setFolderPassword,
} from "../operations/locking/folder-password";
import { putBack, sinceLastLock } from "../operations/locking/last-lock";
import { listFoldersAside } from "../operations/folders/list-folders";
import { lock, makeRoomFor } from "../operations/locking/lock-folder";
import { keepOpen, setOffLimits, setPreferences, setRules } from "../operations/folders/preferences";
import { droppedSchema, findDropped } from "../operations/folders/find-dropped";
import { onlook } from "../operations/folders/look";
import { check } from "../operations/folders/check";
import { INSURANCES, insuranceView, insure, repair } from "../operations/folders/insurance";
import { release, unlock } from "../operations/locking/open-folder";
import { planLock } from "../operations/locking/plan-lock";
import { beginNewKeys, finishNewKeys } from "../operations/ways-back/new-keys";
import { beginNewCode, finishNewCode } from "../operations/entrance/recovery-code";
import { reach } from "../operations/folders/reach";
import { tellNoMore } from "../database/open";
import { beginSetup, finishSetup } from "../operations/entrance/setup";
import { returnStaying, returnWithPin, setStay, signIn, signOut } from "../operations/entrance/sign-in";
import { setProtection } from "../operations/locking/protection";
import { completePath, listPlace, placeRoots } from "../operations/folders/walk-places";
import { AS_BEFORE, guardSchema, protectionSchema, visibilitySchema } from "../protection";
import { effortSchema, offLimitsSchema, preferencesChangeSchema } from "../preferences";
import { secretText } from "../secret-text";
import { type ApiContext, FROM, type Route, beginSession, nothing, route, text } from "./route";
import { WAYS_BACK_ROUTES } from "./ways-back-routes";
import { findSlot } from "../operations/folders/drop";
import { startVisit } from "../operations/folders/visit";
import type { VisitCall } from "../contract";

const MOST_BODY_BYTES = 64 * 1024;
const MOST_COOKIES = 200;
const TAB_HEADER = "x-eremos-tab";

const href = z.string().max(16_384);
const visitCallSchema = z.discriminatedUnion("kind", [
  z.strictObject({ kind: z.literal("list"), href }),
  z.strictObject({ kind: z.literal("search"), href, name: text.min(1) }),
  z.strictObject({ kind: z.literal("make-directory"), href }),
  z.strictObject({ kind: z.literal("remove"), hrefs: z.array(href).min(1).max(10_000) }),
  z.strictObject({ kind: z.literal("move"), href, to: href }),
  z.strictObject({ kind: z.literal("arrivals") }),
  z.strictObject({ kind: z.enum(["take-in", "discard"]), ids: z.array(text).min(1).max(10_000) }),
  z.strictObject({ kind: z.literal("earlier") }),
  z.strictObject({ kind: z.literal("changes-since"), generation: z.int().positive() }),
  z.strictObject({
    kind: z.literal("put-back"),
    generation: z.int().positive(),
    hrefs: z.array(href).max(10_000).nullable(),
  }),
  z.strictObject({ kind: z.literal("undo") }),
]) satisfies z.ZodType<VisitCall>;
const target = z.object({
  folder: text,
  accept: z.array(z.enum(CONSENTS)).max(CONSENTS.length).default([]),
  secret: secretSchema.nullable().default(null),
});
const shownCode = z.object({ id: text, groups: z.array(text).max(8) });

/** Every call there is, by its address below `/api/`. */
export const ROUTES: Readonly<Record<string, Route>> = {
  hello: route(true, z.object({ nonce: z.string().regex(/^[0-9a-f]{64}$/) }), ({ context }, { nonce }) => ({
    proof: proofFor(context.secret, nonce),
  })),
  state: route(true, nothing, ({ context, signedIn }) => stateOf(context.eremos, signedIn)),
  "setup/begin": route(true, z.object({ password: secretText, hint: text.nullable() }), ({ context }, body) =>
    beginSetup(context.eremos, body),
  ),
  "setup/finish": route(true, shownCode, async (call, body) => {
    await finishSetup(call.context.eremos, body.id, body.groups);
    return { tab: beginSession(call), failedTries: 0 };
  }),
  "own-data/told": route(false, nothing, ({ context: { eremos } }) => {
    tellNoMore(eremos.data.databasePath);
    return {};
  }),
  "sign-in": route(true, z.object({ password: secretText }), async (call, body) => {
    const { failedTries } = await signIn(call.context.eremos, body.password);
    return { tab: beginSession(call), failedTries };
  }),
  ...WAYS_BACK_ROUTES,
  "sign-out": route(false, z.object({ leaveOpen: z.boolean().default(false) }), ({ context }, { leaveOpen }) => {
    context.sessions.endAll();
    signOut(context.eremos, leaveOpen);
    return {};
  }),
  pin: route(false, z.object({ pin: text.nullable() }), ({ context }, { pin }) => {
    if (pin === null) context.eremos.pin.forget();
    else context.eremos.pin.choose(pin);
    context.eremos.announce({ topic: "session" });
    return {};
  }),
  "pin/return": route(true, z.object({ pin: text }), async (call, { pin }) => {
    await returnWithPin(call.context.eremos, pin);
    return { tab: beginSession(call), failedTries: 0 };
  }),
  "stay/set": route(false, z.object({ current: secretText.nullable() }), async ({ context }, { current }) => {
    await setStay(context.eremos, current);
    return {};
  }),
  "stay/return": route(true, nothing, async (call) => {
    await returnStaying(call.context.eremos);
    return { tab: beginSession(call), failedTries: 0 };
  }),
  slot: route(true, z.object({ folder: text }), async ({ context }, { folder }) => ({
    takes: (await findSlot(context.eremos, folder)) !== null,
  })),
  touch: route(false, nothing, ({ context }) => {
    context.sessions.touch();
    return {};
  }),
  "close-up": route(false, z.object({ inUseAnyway: z.boolean().default(false) }), ({ context }, { inUseAnyway }) => {
    const { locking, left } = closeUp(context.eremos, inUseAnyway);
    return { jobs: locking.map(({ job }) => job.id), left };
  }),
  // Locking needs no password; of what could not be locked, nobody at the gate hears more than that there is some.
  "gate/close-up": route(true, nothing, ({ context }) => {
    const { locking, left } = closeUp(context.eremos, false);
    return { locking: locking.length, left: left.length };
  }),
  "keep-open": route(
    false,
    z.object({
      folder: text,
      minutes: z
        .int()
        .min(1)
        .max(24 * 60),
    }),
    ({ context }, { folder, minutes }) => {
      keepOpen(context.eremos, folder, minutes);
      return {};
    },
  ),
  protection: route(
    false,
    z.object({ folder: text, protection: protectionSchema, secret: secretSchema.nullable().default(null) }),
    async ({ context }, { folder, protection, secret }) => {
      return { job: await setProtection(context.eremos, folder, protection, secret) };
    },
  ),
  rules: route(false, z.object({ folder: text, rules: rulesSchema.nullable() }), ({ context }, { folder, rules }) => {
    setRules(context.eremos, folder, rules);
    return {};
  }),
  "off-limits": route(false, offLimitsSchema, ({ context }, body) => {
    setOffLimits(context.eremos, body);
    return {};
  }),
  preferences: route(false, preferencesChangeSchema, ({ context }, body) => {
    setPreferences(context.eremos, body);
    return {};
  }),
  efforts: route(false, nothing, ({ context }) => efforts(context.eremos)),
  "efforts/set": route(false, z.object({ current: secretText, effort: effortSchema }), ({ context }, body) =>
    changeEffort(context.eremos, body),
  ),
  password: route(
    false,
    z.object({ current: secretText, password: secretText, hint: text.nullable() }),
    ({ context }, body) => changePassword(context.eremos, body),
  ),
  "new-keys": route(false, nothing, ({ context }) => ({ view: newKeysView(context.eremos) })),
  "new-keys/begin": route(false, z.object({ current: secretText }), ({ context }, { current }) =>
    beginNewKeys(context.eremos, current),
  ),
  "new-keys/finish": route(
    false,
    z.object({ id: text, typed: z.array(text).max(8), password: secretText, hint: text.nullable() }),
    ({ context }, body) => finishNewKeys(context.eremos, body),
  ),
  "new-keys/folder": route(
    false,
    z.object({ folder: text, secret: secretSchema.nullable(), accept: z.array(z.literal("unvouched")).max(1) }),
    async ({ context }, { folder, secret, accept }) => ({
      view: await renewNamed(context.eremos, folder, secret, accept),
    }),
  ),
  "code/begin": route(false, z.object({ current: secretText }), ({ context }, { current }) =>
    beginNewCode(context.eremos, current),
  ),
  "code/finish": route(false, shownCode, ({ context }, { id, groups }) => finishNewCode(context.eremos, id, groups)),
  "folder-password": route(
    false,
    z.object({ folder: text, secret: secretSchema.nullable(), password: newFolderPasswordSchema.nullable() }),
    async ({ context }, body) => {
      await setFolderPassword(context.eremos, body);
      return {};
    },
  ),
  folders: route(false, nothing, ({ context }) => listFoldersAside(context.eremos)),
  jobs: route(false, nothing, ({ context }) => context.eremos.jobs.list()),
  "jobs/cancel": route(false, z.object({ job: text }), ({ context }, body) => ({
    asked: context.eremos.jobs.cancel(body.job),
  })),
  "places/roots": route(false, nothing, ({ context }) => placeRoots(context.eremos)),
  "places/list": route(false, z.object({ path: text }), async ({ context }, body) => {
    const listing = await listPlace(context.eremos, body.path);
    context.watchPlace(listing.path);
    return listing;
  }),
  "places/complete": route(false, z.object({ typed: text }), ({ context }, body) =>
    completePath(context.eremos, body.typed),
  ),
  "places/make-room": route(false, z.object({ path: text }), ({ context }, { path }) => ({
    path: makeRoomFor(context.eremos, path),
  })),
  "places/find": route(false, droppedSchema, ({ context }, body) => findDropped(context.eremos, body)),
  onlooker: route(false, z.object({ path: text, subject: text.nullable() }), async ({ context }, body) => {
    const seen = await onlook(context.eremos, body.path, FROM, body.subject);
    context.watchPlace(seen.place);
    return seen;
  }),
  reach: route(false, z.object({ folder: text }), ({ context }, body) => reach(context.eremos, body.folder)),
  plan: route(false, z.object({ path: text, guard: guardSchema, visibility: visibilitySchema }), ({ context }, body) =>
    planLock(context.eremos, body.path, body),
  ),
  lock: route(
    false,
    z.object({
      path: text,
      protection: protectionSchema.nullable(),
      inUseAnyway: z.boolean().default(false),
      password: newFolderPasswordSchema.nullable().default(null),
    }),
    async ({ context }, { path, protection, inUseAnyway, password }) => {
      const prepared = password && (await prepareFolderPassword(context.eremos, password));
      return {
        job: lock(context.eremos, {
          path,
          protection: protection ?? AS_BEFORE,
          inUseAnyway,
          password: prepared,
          from: FROM,
        }).id,
      };
    },
  ),
  unlock: route(
    false,
    target.extend({ mode: modeSchema.default({ kind: "usual" }) }),
    async ({ context }, { folder, accept, secret, mode }) => {
      const { id } = await unlock(context.eremos, { pathOrId: folder, from: FROM, accept, secret, mode });
      return { job: id };
    },
  ),
  "visit/start": route(
    false,
    target.extend({
      minutes: z
        .int()
        .min(1)
        .max(24 * 60)
        .nullable(),
    }),
    ({ context }, { folder, accept, secret, minutes }) =>
      startVisit(context.eremos, { pathOrId: folder, from: FROM, minutes, accept, secret }),
  ),
  "visit/end": route(false, z.object({ folder: text }), async ({ context }, { folder }) => {
    await context.eremos.visits.end(folder);
    return {};
  }),
  "visit/call": route(false, z.object({ folder: text, call: visitCallSchema }), ({ context }, { folder, call }) =>
    context.eremos.visits.call(folder, call),
  ),
  "visit/mount": route(false, z.object({ folder: text }), async ({ context }, { folder }) => {
    await context.eremos.visits.mount(folder);
    return {};
  }),
  "visit/archive": route(
    false,
    z.object({ folder: text, hrefs: z.array(href).min(1).max(10_000) }),
    ({ context }, { folder, hrefs }) => ({ href: context.eremos.visits.choose(folder, hrefs) }),
  ),
  "last-lock": route(
    false,
    z.object({ folder: text, secret: secretSchema.nullable().default(null) }),
    ({ context }, { folder, secret }) => sinceLastLock(context.eremos, folder, secret),
  ),
  "put-back": route(
    false,
    z.object({
      folder: text,
      generation: z.int().positive(),
      hrefs: z.array(href).max(10_000).nullable(),
      secret: secretSchema.nullable().default(null),
    }),
    async ({ context }, body) => ({ job: await putBack(context.eremos, body) }),
  ),
  release: route(false, target, async ({ context }, body) => {
    const { id } = await release(context.eremos, {
      pathOrId: body.folder,
      from: FROM,
      accept: body.accept,
      secret: body.secret,
    });
    return { job: id };
  }),
  check: route(
    false,
    target.extend({ sample: z.boolean().default(false) }),
    async ({ context }, { folder, secret, sample }) => {
      const { id } = await check(context.eremos, { pathOrId: folder, from: FROM, secret, sample });
      return { job: id };
    },
  ),
  insurance: route(false, z.object({ folder: text }), ({ context }, { folder }) =>
    insuranceView(context.eremos, folder),
  ),
  "insurance/set": route(
    false,
    z.object({ folder: text, insurance: z.enum(INSURANCES).nullable() }),
    async ({ context }, { folder, insurance }) => ({ job: (await insure(context.eremos, folder, insurance)).id }),
  ),
  repair: route(
    false,
    z.object({ folder: text, secret: secretSchema.nullable().default(null) }),
    async ({ context }, { folder, secret }) => ({ job: (await repair(context.eremos, folder, secret)).id }),
  ),
  desktop: route(false, nothing, ({ context }) => desktopParts(context.eremos.settings)),
  "desktop/set": route(
    false,
    z.object({ part: z.enum(DESKTOP_PARTS), on: z.boolean() }),
    ({ context }, { part, on }) => {
      setDesktopPart(context.eremos.settings, part, on);
      return desktopParts(context.eremos.settings);
    },
  ),
  activity: route(false, nothing, ({ context }) => activityOf(context.eremos)),
  settings: route(false, nothing, ({ context }) => settingsOf(context.eremos)),
};

export function isSignedIn(context: ApiContext, request: IncomingMessage): boolean {
  const tab = request.headers[TAB_HEADER];
  if (context.eremos.keys === null || typeof tab !== "string") return false;
  return cookiesOf(request, context.cookieName).some((cookie) => context.sessions.has(cookie, tab));
}

/** Half of it: for what can't send the tab's token along. */
export function hasCookie(context: ApiContext, request: IncomingMessage): boolean {
  return (
    context.eremos.keys !== null &&
    cookiesOf(request, context.cookieName).some((cookie) => context.sessions.hasCookie(cookie))
  );
}

/** All of that name: one that another page of this computer set can't stand before ours. */
function cookiesOf(request: IncomingMessage, name: string): string[] {
  return (request.headers.cookie ?? "")
    .split(";")
    .slice(0, MOST_COOKIES)
    .flatMap((part) => {
      const [key, value] = part.trim().split("=", 2);
      return key === name && value !== undefined ? [value] : [];
    });
}

const STATUS = { usage: 400, password: 403, refused: 409, damage: 422, failed: 500 } as const;

/**
 * Answers one call. The one exit for errors: a known one says its code and message, an unknown one nothing of its
 * inside.
 */
export async function answerApi(
  context: ApiContext,
  name: string,
  request: IncomingMessage,
  response: ServerResponse,
): Promise<void> {
  try {
    const found = Object.hasOwn(ROUTES, name) ? ROUTES[name] : undefined;
    if (!found || request.method !== "POST")
      return send(response, 404, { error: { code: "usage", message: "There is nothing at this address." } });
    const signedIn = isSignedIn(context, request);
    if (!found.open && !signedIn)
      return send(response, 401, { error: { code: "needs-sign-in", message: "Sign in first. Nothing was touched." } });
    const body = await readBody(request);
    try {
      send(response, 200, await found.run({ context, response, signedIn }, decode(body)));
    } finally {
      wipe(body);
    }
  } catch (caught) {
    const error = isEremosError(caught) ? caught : fromSystemError(caught, "answering");
    send(response, STATUS[error.class], { error: { code: error.code, message: error.message, data: error.data } });
  }
}

function send(response: ServerResponse, status: number, body: unknown): void {
  const bytes = Buffer.from(JSON.stringify(body ?? {}));
  response.writeHead(status, {
    "Content-Type": "application/json; charset=utf-8",
    "Content-Length": bytes.length,
    "Cache-Control": "no-store",
  });
  response.end(bytes);
}

async function readBody(request: IncomingMessage): Promise<Buffer> {
  if (request.headers["content-type"] !== CALL_TYPE)
    throw new EremosError("usage", "The request is not a call of Eremos' page. Nothing was touched.");
  const parts: Buffer[] = [];
  let length = 0;
  for await (const part of request) {
    if (!Buffer.isBuffer(part)) continue;
    length += part.length;
    if (length > MOST_BODY_BYTES) throw new EremosError("usage", "The request is too long. Nothing was touched.");
    parts.push(part);
  }
  const body = Buffer.concat(parts);
  wipe(...parts);
  return body;
}

function decode(body: Buffer): unknown {
  try {
    return decodeCall(body);
  } catch {
    throw new EremosError("usage", "The request is not in a form Eremos knows. Nothing was touched.");
  }
}
