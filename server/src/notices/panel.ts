import { isEremosError, printable, systemCode } from "@eremos/core";
import { showRunning } from "../desktop/launcher";
import { type MenuEntry, type PanelContent, PanelItem } from "../desktop/panel-item";
import type { Eremos } from "../eremos";
import { causedBy } from "../ledger/cause";
import { whereIs } from "../look/where-is";
import { lockAgain } from "../operations/locking/lock-folder";
import { decodePath, nameOf } from "../paths";
import type { Note } from "../data-directory";
import { lockAll } from "./shortcut";
import { say } from "@eremos/words/server/notices";

/** A menu is read at a glance; the Desk has them all. */
const MOST_NAMED = 12;
const SETTLE_MS = 300;

/** What the panel says of what lies open: told by notes, which are there signed out, too. */
function panelContent(
  notes: readonly Pick<Note, "id" | "path">[],
  acts: { readonly lock: (id: string | null) => unknown; readonly showDesk: () => unknown },
): PanelContent {
  const count = notes.length;
  const says = say("folders-open", { count });
  const lock = notes.slice(0, MOST_NAMED).map(({ id, path }): MenuEntry => ({
    label: say("lock-this", { name: printable(nameOf(decodePath(path))) }),
    act: () => acts.lock(id),
  }));
  const line: MenuEntry = { label: null, act: null };
  return {
    says,
    isOpen: count > 0,
    entries: [
      { label: says, act: null },
      ...(count > 0 ? [line, ...lock] : []),
      line,
      { label: say("close-up"), act: count > 0 ? () => acts.lock(null) : null },
      // By which a click on the item itself goes, too.
      { label: say("open-the-desk"), act: acts.showDesk },
    ],
  };
}

/** Where they can't be read, the page says so. */
function notesOf(eremos: Eremos): readonly Note[] {
  try {
    return eremos.data.notes();
  } catch (error) {
    if (!isEremosError(error) && systemCode(error) === undefined) throw error;
    return [];
  }
}

/** Shows it in the panel, where there is one that shows such items. Returns what takes it away. */
export function watchForPanel(
  eremos: Eremos,
  environment: Readonly<Record<string, string | undefined>> = process.env,
): () => void {
  const showDesk = (): void => void showRunning(eremos.data, "");
  /** Visits of others go on. */
  const lockOne = (id: string): void => {
    const note = notesOf(eremos).find((one) => one.id === id);
    const located = note && whereIs(eremos, note);
    if (located) lockAgain(eremos, located.realPath).catch(showDesk);
    else showDesk();
  };
  const lock = (id: string | null): void => {
    if (id === null) return lockAll(eremos);
    try {
      causedBy({ from: "menu", why: null }, () => lockOne(id));
    } catch (error) {
      if (!isEremosError(error)) throw error;
      showDesk();
    }
  };
  const content = (): PanelContent => panelContent(notesOf(eremos), { lock, showDesk });
  let last = content();
  const item = new PanelItem(last, environment);
  void item.show().catch(() => undefined);
  let timer: NodeJS.Timeout | null = null;
  const look = (): void => {
    timer = null;
    const now = content();
    const isSame = JSON.stringify(now) === JSON.stringify(last);
    last = now;
    if (!isSame) item.set(now);
  };
  const stop = eremos.onChange(({ topic }) => {
    if (topic === "folders") timer ??= setTimeout(look, SETTLE_MS);
  });
  return () => {
    stop();
    if (timer) clearTimeout(timer);
    item.close();
  };
}
