import { sha256 } from "../../crypto/bytes";
import type { StateRecord } from "../../format/state";
import type { Dir, Disk } from "../../platform/port";
import { type Folder, ICON_NAME, ITEM_NAME, NAMES, PAGE_NAME, readSmallFile, removeEntry, withFile } from "../ground";

/**
 * What stands readable in a locked folder that stays in view: the page that says what this is, the small file that
 * opens it where Eremos is installed, and the one that gives it another icon. Each is written into Eremos' directory first, and removed only while it is still what was written.
 * FORMAT.md §7.
 */
export interface Signs {
  /** The page for a folder that stays in view, or null. */
  readonly page: Buffer | null;
  readonly item?: Buffer | null;
  readonly icon?: Buffer | null;
}

const SIGNS = [
  { sign: "page", kept: NAMES.page, shown: PAGE_NAME },
  { sign: "item", kept: NAMES.item, shown: ITEM_NAME },
  { sign: "icon", kept: NAMES.icon, shown: ICON_NAME },
] as const;

const MOST_BYTES = 1024 * 1024;

type Shown = StateRecord["shows"];

/** As the state record names them. */
export function shownBy(signs: Signs): Shown {
  return SIGNS.flatMap(({ sign, shown }) => {
    const bytes = signs[sign];
    return bytes ? [{ name: shown.toString("utf8"), digest: sha256(bytes).toString("hex") }] : [];
  });
}

function digestFor(shows: Shown, name: Buffer): string | null {
  return shows.find((one) => name.equals(Buffer.from(one.name)))?.digest ?? null;
}

/** Of a folder with this state record, whether it has the icon that is wanted. */
export function hasIcon({ shows }: Pick<StateRecord, "shows">, signs: Signs): boolean {
  return digestFor(shows, ICON_NAME) === digestFor(shownBy(signs), ICON_NAME);
}

/** Beside the sealed copy, for {@link placeSigns}. Not durable before the next barrier. */
export function writeSigns(disk: Disk, ownDir: Dir, signs: Signs): void {
  for (const { sign, kept } of SIGNS) {
    const bytes = signs[sign];
    removeEntry(disk, ownDir, kept);
    if (!bytes) continue;
    withFile(disk, disk.create(ownDir, kept, 0o600), (file) => {
      disk.write(file, bytes, 0, bytes.length, 0);
    });
    disk.setMode(ownDir, kept, 0o644);
  }
}

/** Puts them at their place in the folder, those that are not there. */
export function placeSigns(disk: Disk, folder: Folder & { readonly ownDir: Dir }, state: StateRecord): void {
  for (const { kept, shown } of SIGNS) {
    if (digestFor(state.shows, shown) !== null && disk.find(folder.ownDir, kept) && !disk.find(folder.dir, shown))
      disk.renameExclusive(folder.ownDir, kept, folder.dir, shown);
  }
}

/** Removes them, where they are still the ones Eremos wrote. */
export function removeSigns(disk: Disk, folder: Folder, state: StateRecord): void {
  let removed = false;
  for (const { shown } of SIGNS) {
    const digest = digestFor(state.shows, shown);
    const bytes = digest === null ? null : readSmallFile(disk, folder.dir, shown, MOST_BYTES);
    if (!bytes || sha256(bytes).toString("hex") !== digest) continue;
    disk.unlink(folder.dir, shown);
    removed = true;
  }
  if (removed) disk.syncDir(folder.dir);
}

/** Those that were written and not put at their place. */
export function removeWrittenSigns(disk: Disk, ownDir: Dir): void {
  for (const { kept } of SIGNS) removeEntry(disk, ownDir, kept);
}

export function isSign(name: Buffer, state: StateRecord): boolean {
  return SIGNS.some(({ shown }) => digestFor(state.shows, shown) !== null && name.equals(shown));
}
