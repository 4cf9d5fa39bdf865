import { EremosError, fromSystemError } from "@eremos/core";
import { MENU_ACTS, type MenuAct, askOnPage, fullPath, meantBy, readSettings, sayOnDesktop } from "@eremos/server";
import { type Command, type Invocation, only } from "./invocation";
import { lockFromMenu } from "./locking";
import { givenTo } from "./several";
import { said, say } from "@eremos/words/cli";

/**
 * What the menu of a file manager asks for, of all that is selected there: it is done, or the page asks about it. What
 * there is to say is said by the desktop, once and quietly: nobody sees what this writes.
 */
export const menuCommand: Command<"menu"> = async (invocation) => {
  only(invocation, "null");
  const [word, ...words] = invocation.words;
  const act = MENU_ACTS.find((one) => one === word);
  if (!act) throw new EremosError("usage", said("menu-takes-one-of", { acts: MENU_ACTS.join(", ") }));
  try {
    const { lines, exitCode } = await carryOut(act, { ...invocation, words });
    return { result: { told: lines }, lines: await untold(lines), exitCode };
  } catch (caught) {
    await untold([fromSystemError(caught, said("working")).told.text]);
    throw caught;
  }
};

async function carryOut(
  act: MenuAct,
  invocation: Invocation,
): Promise<{ readonly lines: readonly string[]; readonly exitCode: number }> {
  if (act === "lock") return lockFromMenu(invocation);
  const settings = readSettings(process.env, invocation.program);
  const { names } = await givenTo(invocation);
  const paths = names.map((name) => meantBy(fullPath(name, settings.home, process.cwd())));
  const { address, shown } = await askOnPage(settings, act, paths);
  return { lines: shown ? [] : [say("open-in-your-browser", { address })], exitCode: 0 };
}

/** What no desktop has said. */
async function untold(lines: readonly string[]): Promise<readonly string[]> {
  return lines.length > 0 && (await sayOnDesktop(lines.join("\n"))) ? [] : lines;
}
