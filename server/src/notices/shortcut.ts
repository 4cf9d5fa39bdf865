import { showRunning } from "../desktop/launcher";
import { DesktopShortcut } from "../desktop/shortcut";
import type { Eremos } from "../eremos";
import { causedBy } from "../ledger/cause";
import { closeUp } from "../operations/locking/close-up";
import { say } from "@eremos/words/server/notices";

/** Proposed; the desktop's owner chooses. */
const KEYS = "CTRL+ALT+l";

/** Keys for *Close up*, wherever one is on the desktop, while its owner wants them. Returns what gives them back. */
export function watchForShortcut(
  eremos: Eremos,
  environment: Readonly<Record<string, string | undefined>> = process.env,
): () => void {
  let shortcut: DesktopShortcut | null = null;
  const look = (): void => {
    const isWanted = eremos.preferences.get().shortcut;
    if (isWanted === (shortcut !== null)) return;
    shortcut?.end();
    eremos.shortcutKeys = null;
    shortcut = null;
    if (!isWanted) return;
    const begun = new DesktopShortcut(
      { id: "close-up", description: say("close-up-everything"), keys: KEYS },
      () => lockAll(eremos),
      environment,
    );
    shortcut = begun;
    void begun.begin().then((keys) => {
      if (shortcut !== begun) return;
      eremos.shortcutKeys = keys;
      eremos.announce({ topic: "session" });
    });
  };
  look();
  const stop = eremos.onChange(look);
  return () => {
    stop();
    shortcut?.end();
  };
}

/** What can't be locked, the Desk says. */
export function lockAll(eremos: Eremos): void {
  const showDesk = (): void => void showRunning(eremos.data, "");
  void causedBy({ from: "menu", why: null }, async () => {
    const { locking, left } = await closeUp(eremos, false);
    if (left.length > 0) showDesk();
    for (const { job } of locking) job.outcome.catch(showDesk);
  });
}
