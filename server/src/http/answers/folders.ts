import type { FOLDER_CALLS } from "../../calls/folder-calls";
import { openInProgram, showInFileManager } from "../../desktop/show";
import { check } from "../../operations/folders/check";
import { findDropped, moveIn, takeBackMovedIn } from "../../operations/folders/drop";
import { insuranceView, insure, repair } from "../../operations/folders/insurance";
import { listFoldersAside } from "../../operations/folders/list-folders";
import { onlook } from "../../operations/folders/look";
import { keepOpen, setRules } from "../../operations/folders/preferences";
import { mediumView, overwrite, overwriteFree } from "../../operations/folders/overwriting";
import { reach } from "../../operations/folders/reach";
import { clearTraces, keptTraces, putTracesBack, traceCounts, tracesOf } from "../../operations/folders/traces";
import { completePath, listPlace, pathShown, placeRoots } from "../../operations/folders/walk-places";
import { closeUp } from "../../operations/locking/close-up";
import { prepareFolderPassword, setFolderPassword } from "../../operations/locking/folder-password";
import { lockNew } from "../../operations/locking/lock-new";
import { lock, makeRoomFor } from "../../operations/locking/lock-folder";
import { release, unlock } from "../../operations/locking/open-folder";
import { planLock } from "../../operations/locking/plan-lock";
import { putBackFromTrash, removeNow, removeToTrash } from "../../operations/locking/remove";
import { setProtection } from "../../operations/locking/protection";
import { AS_BEFORE } from "../../protection";
import { type Answers, FROM } from "./answer";

const SHOWN_IN = {
  manager: (path: Buffer) => showInFileManager(path),
  inside: (path: Buffer) => showInFileManager(path, "ShowFolders"),
  program: openInProgram,
} as const;

export const FOLDERS: Answers<typeof FOLDER_CALLS> = {
  folders: ({ context }) => listFoldersAside(context.eremos),
  jobs: ({ context }) => context.eremos.jobs.list(),
  "jobs/cancel": ({ context }, { job }) => ({ asked: context.eremos.jobs.cancel(job) }),
  "places/roots": ({ context }) => placeRoots(context.eremos),
  "places/list": async ({ context }, { path }) => {
    const listing = await listPlace(context.eremos, path);
    context.watchPlace(listing.path);
    return listing;
  },
  "places/complete": ({ context }, { typed }) => completePath(context.eremos, typed),
  "places/make-room": async ({ context }, { path }) => ({ path: await makeRoomFor(context.eremos, path) }),
  "places/find": ({ context }, dropped) => findDropped(context.eremos, dropped),
  onlooker: async ({ context }, { path, subject }) => {
    const seen = await onlook(context.eremos, path, FROM, subject);
    context.watchPlace(seen.place);
    return seen;
  },
  traces: ({ context }, { folder, byInside }) => tracesOf(context.eremos, folder, FROM, byInside),
  "traces/counts": ({ context }, { folders }) => traceCounts(context.eremos, folders),
  "traces/clear": async ({ context }, { folder, ...asked }) => ({
    job: (await clearTraces(context.eremos, folder, FROM, asked)).id,
  }),
  "traces/kept": ({ context }) => keptTraces(context.eremos),
  "traces/put-back": ({ context }, { kept }) => putTracesBack(context.eremos, kept),
  medium: ({ context }, { path }) => mediumView(context.eremos, path, FROM),
  overwrite: ({ context }, asked) => ({ job: overwrite(context.eremos, { ...asked, from: FROM }).id }),
  asked: ({ context }) => context.eremos.data.takeAsked(),
  "overwrite/free": ({ context }, { path }) => ({ job: overwriteFree(context.eremos, path, FROM).id }),
  reach: ({ context }, { folder }) => reach(context.eremos, folder),
  plan: ({ context }, { path, ...asked }) => planLock(context.eremos, path, asked),
  lock: async ({ context: { eremos } }, { path, protection, inUseAnyway, password: typed, ...more }) => {
    const password = typed && (await prepareFolderPassword(eremos, typed));
    const asked = { path, protection: protection ?? AS_BEFORE, inUseAnyway, password, ...more, from: FROM };
    return { job: (await lock(eremos, asked)).id };
  },
  new: async ({ context: { eremos } }, { path, protection, password: typed }) => {
    const password = typed && (await prepareFolderPassword(eremos, typed));
    const { id } = await lockNew(eremos, { path, protection, inUseAnyway: false, password, from: FROM });
    return { job: id };
  },
  "move-in": ({ context }, { folder, paths, originals }) => moveIn(context.eremos, folder, paths, FROM, originals),
  "move-in/take-back": ({ context }, { folder, secret }) => takeBackMovedIn(context.eremos, folder, secret),
  show: async ({ context: { eremos } }, { path, in: where }) => {
    await SHOWN_IN[where](pathShown(eremos, path));
    return {};
  },
  unlock: async ({ context }, { folder, ...asked }) => {
    const { id } = await unlock(context.eremos, { ...asked, pathOrId: folder, from: FROM });
    return { job: id };
  },
  release: async ({ context }, { folder, ...asked }) => {
    const { id } = await release(context.eremos, { ...asked, pathOrId: folder, from: FROM });
    return { job: id };
  },
  remove: async ({ context }, { folder, days }) => ({ job: (await removeToTrash(context.eremos, folder, days)).job }),
  "remove/put-back": async ({ context }, { folder }) => {
    await putBackFromTrash(context.eremos, folder);
    return {};
  },
  "remove/now": async ({ context }, asked) => ({ job: (await removeNow(context.eremos, asked)).job }),
  check: async ({ context }, { folder, secret, sample }) => {
    const { id } = await check(context.eremos, { pathOrId: folder, from: FROM, secret, sample });
    return { job: id };
  },
  "close-up": async ({ context }, { inUseAnyway }) => {
    const { locking, left } = await closeUp(context.eremos, inUseAnyway);
    return {
      jobs: locking.map(({ job }) => job.id),
      left: left.map(({ path, error }) => ({ path, reason: error.told.text })),
    };
  },
  "gate/close-up": async ({ context }) => {
    const { locking, left } = await closeUp(context.eremos, false);
    return { locking: locking.length, left: left.length };
  },
  "keep-open": ({ context }, { folder, minutes }) => {
    keepOpen(context.eremos, folder, minutes);
    return {};
  },
  protection: async ({ context }, { folder, protection, secret }) => ({
    job: await setProtection(context.eremos, folder, protection, secret),
  }),
  rules: async ({ context }, { folder, rules }) => {
    await setRules(context.eremos, folder, rules);
    return {};
  },
  "folder-password": async ({ context }, asked) => {
    await setFolderPassword(context.eremos, asked);
    return {};
  },
  insurance: ({ context }, { folder }) => insuranceView(context.eremos, folder),
  "insurance/set": async ({ context }, { folder, insurance }) => ({
    job: (await insure(context.eremos, folder, insurance)).id,
  }),
  repair: async ({ context }, { folder, secret }) => ({ job: (await repair(context.eremos, folder, secret)).id }),
};
