import { EremosError, displayPath, isEncrypting } from "@eremos/core";
import { type Eremos, fullPath, listFolders, putBackFromTrash, removeNow, removeToTrash } from "@eremos/server";
import { passesOf } from "./overwrite";
import { type Command, type Invocation, oneWord, only, openGate, withEremos } from "./invocation";
import { endProgress } from "./progress";
import { said, say } from "@eremos/words/cli";

const USUAL_DAYS = 30;

/** Into Eremos' trash, back from there, or for good. */
export const removeCommand: Command<"remove"> = async (invocation) => {
  only(invocation, "password-stdin", "now", "days", "undo", "history", "passes");
  const { flags } = invocation;
  const folder = oneWord(invocation, say("path-or-id"));
  if (flags["now"] === true && flags["undo"] === true) throw new EremosError("usage", said("now-or-undo"));
  const isForNow = flags["history"] === true || flags["passes"] !== undefined;
  if (flags["now"] === true ? flags["days"] !== undefined : isForNow)
    throw new EremosError("usage", said("history-and-passes-belong-to-now"));
  const days = daysOf(invocation);
  const passes = flags["passes"] === undefined ? 0 : passesOf(invocation);
  return withEremos(invocation, async (eremos) => {
    await openGate(eremos, invocation);
    const from = process.cwd();
    if (flags["undo"] === true) {
      await putBackFromTrash(eremos, folder, from);
      const result = { path: pathOf(eremos, folder), daysLeft: null, back: true };
      return { result, lines: [say("is-back", { path: result.path })] };
    }
    const path = pathOf(eremos, folder);
    if (flags["now"] === true) {
      const name = await invocation.asking.askSeen(say("name-of-folder"));
      const history = flags["history"] === true;
      const { done } = await removeNow(eremos, { folder, name, passes, history, traces: false, from });
      await done;
      endProgress();
      return { result: { path, daysLeft: null, back: false }, lines: [say("is-removed-for-good", { path })] };
    }
    const isEncrypted = listFolders(eremos).some(
      (one) => (one.id === folder || one.path === path) && isEncrypting(one),
    );
    await (
      await removeToTrash(eremos, folder, days, from)
    ).done;
    endProgress();
    return { result: { path, daysLeft: days, back: false }, lines: [say("in-the-trash", { path, days, isEncrypted })] };
  });
};

function daysOf({ flags }: Invocation): number {
  const { days = String(USUAL_DAYS) } = flags;
  const number = Number(days);
  if (Number.isInteger(number) && number >= 1 && number <= 365) return number;
  throw new EremosError("usage", said("days-takes"));
}

/** As the list has it. */
function pathOf(eremos: Eremos, pathOrId: string): string {
  const typed = displayPath(fullPath(pathOrId, eremos.settings.home, process.cwd()));
  return listFolders(eremos).find(({ id, path }) => id === pathOrId || path === typed)?.path ?? typed;
}
