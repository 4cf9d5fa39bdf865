import { EremosError } from "@eremos/core";
import { folderPasswordOf, fullPath, handOver } from "@eremos/server";
import { type Command, oneWord, only, openGate, secretFor, withEremos } from "./invocation";
import { finish, summaryOf } from "./work";
import { said, say } from "@eremos/words/cli";

/** A package for somebody else; with --plain of what lies readable, else of a protected folder. */
export const handOverCommand: Command<"hand-over"> = async (invocation) => {
  only(invocation, "password-stdin", "with-code", "with-shares", "as", "to", "plain");
  const what = oneWord(invocation, say("path-or-id"));
  const { as = "page", to } = invocation.flags;
  if (as !== "page") throw new EremosError("usage", said("as-takes-page"));
  if (typeof to !== "string" || to === "") throw new EremosError("usage", said("hand-over-needs-to"));
  const isPlain = invocation.flags["plain"] === true;
  return withEremos(invocation, async (eremos) => {
    if (!isPlain) await openGate(eremos, invocation);
    const isLocked = !isPlain && !folderPasswordOf(eremos, what, process.cwd()).isOpen;
    const secret = isLocked ? await secretFor(eremos, what, invocation) : null;
    const password = await invocation.asking.ask(say("password-of-the-package"), true);
    const job = await handOver(eremos, { what, isPlain, secret, password, to, from: process.cwd() });
    const { files, bytes, size, digest, left } = await finish(eremos, job);
    const made = fullPath(to, eremos.settings.home, process.cwd()).toString("utf8");
    return {
      result: { path: made, files, bytes, size, sha256: digest, left },
      lines: [
        summaryOf(eremos, job.id),
        `SHA-256 ${digest}`,
        ...left.slice(1).map(({ path, reason }) => `${path}: ${reason}`),
        say("it-can-not-be-called-back"),
      ],
      exitCode: left.length > 0 ? 4 : 0,
    };
  });
};
