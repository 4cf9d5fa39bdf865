import type { Eremos } from "../eremos";
import { MINUTE_MS } from "../locking-rules";
import { signOutIdle } from "../operations/entrance/sign-in";
import { sweepHistory } from "../operations/activity/keeping";
import { checksInTurn } from "../operations/folders/check-in-turn";
import { followDrives, lookAtAll } from "../operations/folders/follow-drives";
import { finishCutOff } from "../operations/folders/overwriting";
import { sweepKept } from "../operations/folders/traces";
import { readTables } from "../look/mounts";
import { lockAgain } from "../operations/locking/lock-folder";
import { emptyTrash } from "../operations/locking/remove";
import { recoverInterrupted } from "../operations/ways-back/recover-interrupted";
import { catchUp } from "../operations/ways-back/renew-headers";
import { watchForPanel } from "../notices/panel";
import { watchForShortcut } from "../notices/shortcut";
import { watchForNotices } from "../notices/watch";
import type { Sessions } from "../session/sessions";
import { CheckWatch } from "../watch/check-watch";
import { watchDatabase } from "../watch/database-watch";
import { Keeper } from "../watch/keeper";
import { watchMounts } from "../watch/mount-watch";
import { type Away, watchSleep } from "../watch/sleep-watch";

const IDLE_LOOK_MS = 5000;
const HOUR_MS = 60 * MINUTE_MS;

/** Puts right what was cut off, and starts everything that watches while a session lives. Returns what ends it again. */
export async function startWatches(eremos: Eremos, sessions: Sessions, isFirst: boolean): Promise<() => void> {
  await recoverInterrupted(eremos);
  // It may take long, and nothing waits for it; what can't go now is tried at the next start.
  void finishCutOff(eremos).catch(() => undefined);
  const keeper = new Keeper(eremos, (path) => lockAgain(eremos, path));
  await keeper.start(isFirst);
  const checks = new CheckWatch(checksInTurn(eremos));
  checks.start();
  const stops = [
    () => keeper.stop(),
    () => checks.stop(),
    watchDatabase(eremos, () => recoverInterrupted(eremos)),
    watchMounts(
      () => readTables(eremos.settings.mounts),
      () => void followMounts(eremos).catch(() => undefined),
    ),
    watchForNotices(eremos),
    watchForPanel(eremos),
    watchForShortcut(eremos),
    watchSleep(whenAway(eremos, sessions, keeper)),
    signOutWhenIdle(eremos, sessions),
    keepCatchingUp(eremos),
    countDays(eremos),
  ];
  return () => {
    for (const stop of stops.splice(0)) stop();
  };
}

export function whenAway(eremos: Eremos, sessions: Sessions, keeper: Keeper): Away {
  return {
    lock: () => keeper.lockBeforeAway(),
    signOut: () => {
      if (!eremos.keys) return;
      sessions.endAll();
      signOutIdle(eremos, "asleep");
    },
  };
}

/** A drive came or went: its folders come back, or show as away. */
async function followMounts(eremos: Eremos): Promise<void> {
  if (eremos.keys) await eremos.holding(async (keys) => followDrives(eremos, keys, await lookAtAll(eremos, keys)));
  eremos.announce({ topic: "folders" });
}

/**
 * The newest password opens everything that is here: what could not be reached at its change gets it as soon as it can
 * be.
 */
function keepCatchingUp(eremos: Eremos): () => void {
  const timer = setInterval(() => void catchUp(eremos).catch(() => undefined), MINUTE_MS);
  return () => clearInterval(timer);
}

/** What is kept for some days goes when they are over. */
function countDays(eremos: Eremos): () => void {
  const timer = setInterval(() => {
    void sweepKept(eremos).catch(() => undefined);
    sweepHistory(eremos);
    void emptyTrash(eremos).catch(() => undefined);
  }, HOUR_MS);
  return () => clearInterval(timer);
}

/** Nobody has touched the page for a while: signs out, as the button does. */
function signOutWhenIdle(eremos: Eremos, sessions: Sessions): () => void {
  const timer = setInterval(() => {
    const { idleSignOutMinutes } = eremos.preferences.get();
    if (!eremos.keys || idleSignOutMinutes === null || sessions.untouched.ms < idleSignOutMinutes * MINUTE_MS) return;
    sessions.endAll();
    signOutIdle(eremos);
  }, IDLE_LOOK_MS);
  return () => clearInterval(timer);
}
