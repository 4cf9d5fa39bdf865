import { fromSystemError, isEremosError } from "@eremos/core";
import { showRunning } from "../desktop/launcher";
import { Notifications } from "../desktop/notifications";
import type { Eremos } from "../eremos";
import { keepOpen } from "../operations/folders/preferences";
import { isPracticeDue } from "../operations/folders/practice-due";
import { decodePath, nameOf } from "../paths";
import { said } from "@eremos/words/server/notices";
import { Notices } from "./notices";

const KEEP_OPEN_MINUTES = 30;
const LOOK_EVERY_MS = 3600 * 1000;
const TELL_AGAIN_MS = 30 * 24 * 3600 * 1000;

/** Tells by the desktop's notifications what happens here. Returns what ends it. */
export function watchForNotices(eremos: Eremos, desktop = new Notifications()): () => void {
  const notices = new Notices(desktop, {
    preference: () => eremos.preferences.get().notices,
    showDesk: (folder) => showRunning(eremos.data, folder === null ? "" : `/folders/${folder}`),
    keepOpen: (folder) => evenSignedOut(eremos, () => keepOpen(eremos, folder, KEEP_OPEN_MINUTES)),
    nameOf: (folder) => {
      const note = folder === "" ? null : eremos.data.note(folder);
      return note ? nameOf(decodePath(note.path)) : null;
    },
    now: () => new Date(),
  });
  // Tries of another process, the command line's, are counted in the database, which only this account writes.
  let tries = eremos.gate.endedFailures;
  const stopCounting = eremos.onChange(({ topic }) => {
    if (topic !== "gate") return;
    const before = tries;
    tries = eremos.gate.endedFailures;
    const own = { uid: process.getuid?.() ?? -1, name: eremos.settings.account };
    if (tries > before && !eremos.keys) untroubled(notices.wrongWereTried(tries - before, own));
  });
  const stopHearing = eremos.onEvent((event) => {
    if (event.kind === "wrong") tries = eremos.gate.endedFailures;
    untroubled(notices.heard(event));
  });
  eremos.knownOpen.onWaiting = (folder, programs) => untroubled(notices.waits(folder, programs));
  const timer = setInterval(() => tellOfPractice(eremos, notices), LOOK_EVERY_MS).unref();
  return () => {
    stopCounting();
    stopHearing();
    eremos.knownOpen.onWaiting = () => undefined;
    clearInterval(timer);
    notices.close();
    desktop.close();
  };
}

/** Nothing stops because the desktop can't be told of it; the page tells it too. */
function untroubled(telling: Promise<void>): void {
  void telling.catch((error: unknown) => void fromSystemError(error, said("telling-the-desktop")));
}

/** What can't be done from a notification is done on the page, which says why. */
function evenSignedOut(eremos: Eremos, act: () => void): void {
  try {
    act();
  } catch (error) {
    if (!isEremosError(error)) throw error;
    void showRunning(eremos.data, "");
  }
}

export function tellOfPractice(eremos: Eremos, notices: Pick<Notices, "practiceIsDue">, now = Date.now()): void {
  if (now - eremos.preferences.practiceToldAt < TELL_AGAIN_MS || !isPracticeDue(eremos, now)) return;
  eremos.preferences.set({ practiceToldAt: now });
  untroubled(notices.practiceIsDue());
}
