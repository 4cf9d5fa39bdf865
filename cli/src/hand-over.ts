import { EremosError } from "@eremos/core";
import { folderPasswordOf, fullPath, handOver, packageFormSchema, packageWords, receive } from "@eremos/server";
import { type Command, oneWord, only, openGate, secretFor, withEremos } from "./invocation";
import { finish, summaryOf } from "./work";
import { said, say } from "@eremos/words/cli";

/** A package for somebody else; with --plain of what lies readable, else of a protected folder. */
export const handOverCommand: Command<"hand-over"> = async (invocation) => {
  only(invocation, "password-stdin", "with-code", "with-shares", "as", "to", "plain", "hide-names");
  const what = oneWord(invocation, say("path-or-id"));
  const { as = "page", to } = invocation.flags;
  const form = packageFormSchema.safeParse(as).data;
  if (!form) throw new EremosError("usage", said("as-takes-page"));
  if (typeof to !== "string" || to === "") throw new EremosError("usage", said("hand-over-needs-to"));
  const isPlain = invocation.flags["plain"] === true;
  return withEremos(invocation, async (eremos) => {
    if (!isPlain) await openGate(eremos, invocation);
    const isLocked = !isPlain && !folderPasswordOf(eremos, what, process.cwd()).isOpen;
    const secret = isLocked ? await secretFor(eremos, what, invocation) : null;
    const typed = await invocation.asking.ask(say("password-of-the-package-or-words"), true);
    const words = typed === "" ? await packageWords() : null;
    const job = await handOver(eremos, {
      what,
      isPlain,
      secret,
      hrefs: null,
      password: words ?? typed,
      at: to,
      form,
      hidesNames: invocation.flags["hide-names"] === true,
      to: "",
      note: "",
      from: process.cwd(),
    });
    const { files, bytes, size, digest, left } = await finish(eremos, job);
    return {
      result: { path: job.path, files, bytes, size, sha256: digest, left, words },
      lines: [
        summaryOf(eremos, job.id),
        ...(digest === null ? [] : [`SHA-256 ${digest}`]),
        ...(words === null ? [] : [say("its-password-is", { words })]),
        ...left.slice(1).map(({ path, reason }) => `${path}: ${reason}`),
        say("it-can-not-be-called-back"),
      ],
      exitCode: left.length > 0 ? 4 : 0,
    };
  });
};

/** What is in somebody's package; with --lock into a new locked folder, which takes the master password first. */
export const receiveCommand: Command<"receive"> = async (invocation) => {
  only(invocation, "password-stdin", "to", "lock");
  const what = oneWord(invocation, say("package-path"));
  const { to } = invocation.flags;
  if (typeof to !== "string" || to === "") throw new EremosError("usage", said("receive-needs-to"));
  const isLocking = invocation.flags["lock"] === true;
  return withEremos(invocation, async (eremos) => {
    if (isLocking) await openGate(eremos, invocation);
    const password = await invocation.asking.ask(say("password-of-the-package"));
    const job = await receive(eremos, { package: what, password, at: to, lock: isLocking, from: process.cwd() });
    const { files, bytes, form, cipher, left } = await finish(eremos, job);
    const made = fullPath(to, eremos.settings.home, process.cwd()).toString("utf8");
    return {
      result: { path: made, files, bytes, form, cipher, left, locked: isLocking },
      lines: [summaryOf(eremos, job.id), ...left.slice(1).map(({ path, reason }) => `${path}: ${reason}`)],
      exitCode: left.length > 0 ? 4 : 0,
    };
  });
};
