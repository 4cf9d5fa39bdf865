import * as z from "zod";
import { EremosError, MOST_KEYHOLDERS, mistypedGroups } from "@eremos/core";
import { mailServerSchema } from "../documents";
import type { Eremos } from "../eremos";
import { compareCopies, letForkGo, takeFromCopy } from "../operations/ways-back/copies";
import { bringFound, hiddenView, hideAgain, undoScriptLock } from "../operations/ways-back/find-hidden";
import { returnOwner, scanView, takeIn, takeInFound } from "../operations/ways-back/find-folders";
import { backSchema, rescueSecretSchema, secretSchema } from "../operations/locking/folder-password";
import { resetPassword } from "../operations/entrance/forgotten-password";
import {
  dropKeyholders,
  keyholdersView,
  lookAtCollected,
  mailServerView,
  mailShare,
  nameKeyholders,
  namedSchema,
  setMailServer,
  shareSheetFor,
} from "../operations/ways-back/keyholders";
import { mend } from "../operations/ways-back/mend";
import { fullPath } from "../paths";
import { permissions } from "../operations/ways-back/permissions";
import { practice } from "../operations/entrance/practice";
import { forgetInterruption, interruptions } from "../operations/ways-back/interruptions";
import { recoverInterrupted } from "../operations/ways-back/recover-interrupted";
import { rescueFiles } from "../rescue-files";
import { secretText } from "../secret-text";
import { type Call, type Route, beginSession, nothing, route, text } from "./route";

function requireMayScan({ context, signedIn }: Call): Eremos {
  if (signedIn || context.eremos.data.owner() === null) return context.eremos;
  throw new EremosError("needs-sign-in", "Sign in first. Nothing was touched.");
}

/** The password of a mail server is kept, and sent to it, as text. */
function withTextPassword(server: unknown): unknown {
  if (
    typeof server !== "object" ||
    server === null ||
    !("password" in server) ||
    !(server.password instanceof Uint8Array)
  )
    return server;
  return { ...server, password: Buffer.from(server.password).toString("utf8") };
}

const numbered = z.object({ number: z.int().min(1).max(MOST_KEYHOLDERS) });

/** Getting back in, and everything out. */
export const WAYS_BACK_ROUTES: Readonly<Record<string, Route>> = {
  "code/check": route(true, z.object({ code: text }), (_call, { code }) => ({ wrong: mistypedGroups(code) })),
  forgotten: route(
    true,
    z.object({ secret: backSchema, password: secretText, hint: text.nullable() }),
    async (call, body) => {
      const { failedTries, left } = await resetPassword(call.context.eremos, body);
      return { tab: beginSession(call), failedTries, left };
    },
  ),
  // Before there is an owner, whoever sits here may look for their own folders; afterwards only the owner.
  scan: route(true, z.object({ upTo: z.int().min(1).max(10_000).default(100) }), (call, { upTo }) =>
    scanView(requireMayScan(call), upTo),
  ),
  "scan/start": route(true, z.object({ places: z.array(text).max(64).nullable() }), (call, { places }) => {
    const eremos = requireMayScan(call);
    eremos.finder.start((places ?? eremos.settings.places).map((place) => fullPath(place, eremos.settings.home)));
    return {};
  }),
  "scan/stop": route(true, nothing, (call) => {
    requireMayScan(call).finder.stop();
    return {};
  }),
  "scan/take-in": route(
    false,
    z.object({
      path: text,
      secret: rescueSecretSchema.nullable(),
      accept: z.array(z.literal("costly")).max(1).default([]),
    }),
    async ({ context }, body) => ({ folder: await takeIn(context.eremos, body) }),
  ),
  "scan/take-in-all": route(false, nothing, ({ context }) => takeInFound(context.eremos)),
  // The code comes from whoever sees it now; nothing of it is kept. What makes PDFs is large, and loaded for this
  // alone.
  sheet: route(true, z.object({ code: text }), async ({ context }, { code }) => ({
    pdf: (
      await (
        await import("../sheets/recovery-sheet")
      ).recoverySheet({ code, at: Date.now(), readers: rescueFiles(context.eremos.settings.program) })
    ).toString("base64"),
  })),
  "rescue-files": route(true, nothing, ({ context }) => rescueFiles(context.eremos.settings.program)),
  practice: route(false, z.object({ secret: backSchema }), ({ context }, { secret }) =>
    practice(context.eremos, secret),
  ),
  mend: route(false, z.object({ path: text, secret: secretSchema.nullable() }), async ({ context }, body) => ({
    mended: await mend(context.eremos, body),
  })),
  permissions: route(
    false,
    z.object({ folder: text, secret: secretSchema.nullable(), repair: z.boolean() }),
    ({ context }, body) => permissions(context.eremos, body),
  ),
  "copies/compare": route(false, z.object({ path: text, fork: text.nullable() }), ({ context }, { path, fork }) =>
    compareCopies(context.eremos, path, fork),
  ),
  "copies/let-go": route(false, z.object({ folder: text, fork: text }), async ({ context }, { folder, fork }) => {
    await letForkGo(context.eremos, folder, fork);
    return {};
  }),
  "copies/take": route(
    false,
    z.object({ path: text, fork: text.nullable(), ids: z.array(z.string().max(20_000)).min(1).max(1000) }),
    async ({ context }, { path, fork, ids }) => ({ job: (await takeFromCopy(context.eremos, path, fork, ids)).id }),
  ),
  hidden: route(false, nothing, ({ context }) => hiddenView(context.eremos)),
  "hidden/start": route(
    false,
    z.object({ places: z.array(text).max(64).nullable() }),
    ({ context: { eremos } }, { places }) => {
      eremos.hiddenFinder.start(
        (places ?? eremos.settings.places).map((place) => fullPath(place, eremos.settings.home)),
      );
      return {};
    },
  ),
  "hidden/stop": route(false, nothing, ({ context }) => {
    context.eremos.hiddenFinder.stop();
    return {};
  }),
  "hidden/bring": route(false, z.object({ id: text }), ({ context }, { id }) => ({
    path: bringFound(context.eremos, id),
  })),
  "hidden/script": route(false, z.object({ id: text }), ({ context }, { id }) => ({
    path: undoScriptLock(context.eremos, id),
  })),
  "hidden/again": route(false, z.object({ id: text }), ({ context }, { id }) => {
    hideAgain(context.eremos, id);
    return {};
  }),
  interruptions: route(false, nothing, ({ context }) => interruptions(context.eremos)),
  "interruptions/forget": route(false, z.object({ folder: text }), ({ context }, { folder }) => {
    forgetInterruption(context.eremos, folder);
    return {};
  }),
  "put-right": route(false, nothing, async ({ context }) => ({ folders: await recoverInterrupted(context.eremos) })),
  return: route(
    true,
    z.object({ path: text, secret: secretSchema, password: secretText.nullable(), hint: text.nullable() }),
    async (call, body) => {
      const taken = await returnOwner(requireMayScan(call), body);
      return { tab: beginSession(call), failedTries: 0, ...taken };
    },
  ),
  // Whoever collects shares is not signed in; of a found folder only this account asks.
  "shares/look": route(
    true,
    z.object({ shares: z.array(text).max(MOST_KEYHOLDERS), at: text.nullable() }),
    (call, { shares, at }) => {
      if (at !== null) requireMayScan(call);
      return lookAtCollected(call.context.eremos, shares, at).then((look) => ({ look }));
    },
  ),
  keyholders: route(false, nothing, ({ context }) => ({ keyholders: keyholdersView(context.eremos) })),
  "keyholders/name": route(false, namedSchema, ({ context }, body) => nameKeyholders(context.eremos, body)),
  "keyholders/drop": route(false, z.object({ current: secretText }), ({ context }, { current }) =>
    dropKeyholders(context.eremos, current),
  ),
  "keyholders/sheet": route(false, numbered, async ({ context }, { number }) => ({
    pdf: (await shareSheetFor(context.eremos, number)).toString("base64"),
  })),
  "keyholders/mail": route(false, numbered, async ({ context }, { number }) => {
    await mailShare(context.eremos, number);
    return {};
  }),
  "mail-server": route(false, nothing, ({ context }) => ({ server: mailServerView(context.eremos) })),
  "mail-server/set": route(
    false,
    z.object({ server: z.preprocess(withTextPassword, mailServerSchema.nullable()) }),
    ({ context }, { server }) => {
      setMailServer(context.eremos, server);
      return {};
    },
  ),
};
