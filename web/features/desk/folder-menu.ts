import type { FolderView } from "@eremos/server/contract";
import { ACT_WORDS, type Act, actsOf, actsOfMany } from "@/parts/folders/acts";
import type { MenuChoice } from "@/ui/menu";

type Run = (act: Act, folders: readonly FolderView[]) => void;

/** These stand apart: they change what a folder is. */
const APART: ReadonlySet<Act> = new Set<Act>(["details", "check", "protect", "remove"]);

/** What a right click on folders offers. */
export function menuOf(folders: readonly FolderView[], run: Run): readonly MenuChoice[] {
  const [folder] = folders;
  if (folder && folders.length === 1)
    return actsOf(folder).map((act) => ({
      label: ACT_WORDS[act],
      isApart: APART.has(act),
      onChoose: () => run(act, [folder]),
    }));
  return actsOfMany(folders).map(({ act, words, folders: some }) => ({
    label: words,
    onChoose: () => run(act, some),
  }));
}
