import { EremosError } from "@eremos/core";
import { type MediumView, finishCutOff, mediumView, overwrite, overwriteFree, overwrittenView } from "@eremos/server";
import { EXIT_CODES } from "./exit-codes";
import { type Command, type Invocation, only, withEremos } from "./invocation";
import { finish, summaryOf } from "./work";
import { said } from "@eremos/words/cli";

/** Files and folders, or the free space of a place. Needs no password: it takes nothing that is protected. */
export const overwriteCommand: Command<"overwrite"> = async (invocation) => {
  only(invocation, "passes", "free");
  const { free } = invocation.flags;
  const { words } = invocation;
  if (typeof free === "string") {
    if (words.length > 0 || invocation.flags["passes"] !== undefined)
      throw new EremosError("usage", said("free-stands-alone"));
    return withEremos(invocation, async (eremos) => {
      const job = overwriteFree(eremos, free, process.cwd());
      const { bytes, ended } = await finish(eremos, job);
      const reaches = mediumView(eremos, free, process.cwd());
      return { result: { free: bytes, ended, reaches }, lines: [summaryOf(eremos, job.id), ...linesOf(reaches)] };
    });
  }
  if (words.length === 0) throw new EremosError("usage", said("this-command-takes-paths"));
  const passes = passesOf(invocation);
  return withEremos(invocation, async (eremos) => {
    await finishCutOff(eremos);
    const [first = ""] = words;
    const job = overwrite(eremos, { paths: words, passes, allNames: false, from: process.cwd() });
    const result = overwrittenView(await finish(eremos, job));
    const reaches = mediumView(eremos, first, process.cwd());
    const lines = [
      summaryOf(eremos, job.id),
      ...result.left.slice(1).map(({ path, reason }) => `${path}: ${reason}`),
      ...linesOf(reaches),
    ];
    return { result: { ...result, reaches }, lines, exitCode: result.left.length > 0 ? EXIT_CODES.failed : 0 };
  });
};

export function passesOf({ flags }: Invocation): 1 | 3 {
  const { passes = "1" } = flags;
  if (passes === "1") return 1;
  if (passes === "3") return 3;
  throw new EremosError("usage", said("passes-takes-1-or-3"));
}

function linesOf({ verdict, because, helps }: MediumView): string[] {
  return [verdict, ...because, ...helps];
}
