import { EremosError } from "@eremos/core";
import type { WAYS_BACK_CALLS } from "../../calls/ways-back-calls";
import type { Eremos } from "../../eremos";
import { practice } from "../../operations/entrance/practice";
import { compareCopies, letForkGo, takeFromCopy } from "../../operations/ways-back/copies";
import { returnOwner, scanView, takeIn, takeInFound } from "../../operations/ways-back/find-folders";
import { bringFound, hiddenView, hideAgain, undoScriptLock } from "../../operations/ways-back/find-hidden";
import { forgetInterruption, interruptions } from "../../operations/ways-back/interruptions";
import {
  dropKeyholders,
  keyholdersView,
  lookAtCollected,
  mailServerView,
  mailShare,
  nameKeyholders,
  setMailServer,
  shareSheetFor,
} from "../../operations/ways-back/keyholders";
import { mend } from "../../operations/ways-back/mend";
import { permissions } from "../../operations/ways-back/permissions";
import { recoverInterrupted } from "../../operations/ways-back/recover-interrupted";
import { fullPath } from "../../paths";
import { rescueFiles } from "../../rescue-files";
import { type Answers, type Call, beginSession } from "./answer";
import { said } from "@eremos/words/server/house";

function requireMayScan({ context, signedIn }: Call): Eremos {
  if (signedIn || context.eremos.data.owner() === null) return context.eremos;
  throw new EremosError("needs-sign-in", said("sign-in-first-nothing-was"));
}

function wholePlaces(eremos: Eremos, places: readonly string[] | null): Buffer[] {
  return (places ?? eremos.places).map((place) => fullPath(place, eremos.settings.home));
}

/** Getting back in, and everything out. */
export const WAYS_BACK: Answers<typeof WAYS_BACK_CALLS> = {
  scan: (call, { upTo }) => scanView(requireMayScan(call), upTo),
  "scan/start": (call, { places }) => {
    const eremos = requireMayScan(call);
    eremos.finder.start(wholePlaces(eremos, places));
    return {};
  },
  "scan/stop": (call) => {
    requireMayScan(call).finder.stop();
    return {};
  },
  "scan/take-in": async ({ context }, asked) => ({ folder: await takeIn(context.eremos, asked) }),
  "scan/take-in-all": ({ context }) => takeInFound(context.eremos),
  return: async (call, asked) => {
    const taken = await returnOwner(requireMayScan(call), asked);
    return { tab: beginSession(call), failedTries: 0, ...taken };
  },
  // The code comes from whoever sees it now; nothing of it is kept. What makes PDFs is large, and loaded for this
  // alone.
  sheet: async ({ context }, { code }) => {
    const { recoverySheet } = await import("../../sheets/recovery-sheet");
    const sheet = await recoverySheet({ code, at: Date.now(), readers: rescueFiles(context.eremos.settings.program) });
    return { pdf: sheet.toString("base64") };
  },
  "rescue-files": ({ context }) => rescueFiles(context.eremos.settings.program),
  practice: ({ context }, { secret }) => practice(context.eremos, secret),
  mend: async ({ context }, asked) => ({ mended: await mend(context.eremos, asked) }),
  permissions: ({ context }, asked) => permissions(context.eremos, asked),
  "copies/compare": ({ context }, { path, fork }) => compareCopies(context.eremos, path, fork),
  "copies/take": async ({ context }, { path, fork, ids }) => ({
    job: (await takeFromCopy(context.eremos, path, fork, ids)).id,
  }),
  "copies/let-go": async ({ context }, { folder, fork }) => {
    await letForkGo(context.eremos, folder, fork);
    return {};
  },
  hidden: ({ context }) => hiddenView(context.eremos),
  "hidden/start": ({ context: { eremos } }, { places }) => {
    eremos.hiddenFinder.start(wholePlaces(eremos, places));
    return {};
  },
  "hidden/stop": ({ context }) => {
    context.eremos.hiddenFinder.stop();
    return {};
  },
  "hidden/bring": async ({ context }, { id }) => ({ path: await bringFound(context.eremos, id) }),
  "hidden/script": async ({ context }, { id }) => ({ path: await undoScriptLock(context.eremos, id) }),
  "hidden/again": async ({ context }, { id }) => {
    await hideAgain(context.eremos, id);
    return {};
  },
  interruptions: ({ context }) => interruptions(context.eremos),
  "interruptions/forget": ({ context }, { folder }) => {
    forgetInterruption(context.eremos, folder);
    return {};
  },
  "put-right": async ({ context }) => ({ folders: await recoverInterrupted(context.eremos) }),
  // Whoever collects shares is not signed in; of a found folder only this account asks.
  "shares/look": async (call, { shares, at }) => {
    if (at !== null) requireMayScan(call);
    return { look: await lookAtCollected(call.context.eremos, shares, at) };
  },
  keyholders: ({ context }) => ({ keyholders: keyholdersView(context.eremos) }),
  "keyholders/name": ({ context }, named) => nameKeyholders(context.eremos, named),
  "keyholders/drop": ({ context }, { current }) => dropKeyholders(context.eremos, current),
  "keyholders/sheet": async ({ context }, { number }) => ({
    pdf: (await shareSheetFor(context.eremos, number)).toString("base64"),
  }),
  "keyholders/mail": async ({ context }, { number }) => {
    await mailShare(context.eremos, number);
    return {};
  },
  "mail-server": ({ context }) => ({ server: mailServerView(context.eremos) }),
  "mail-server/set": ({ context }, { server }) => {
    setMailServer(context.eremos, server);
    return {};
  },
};
