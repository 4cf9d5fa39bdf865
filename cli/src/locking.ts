import { EremosError, GUARDS, LEVELS, USUAL_BARS, VISIBILITIES, traitsOf } from "@eremos/core";
import {
  type Eremos,
  type LockRequest,
  type ProtectionRequest,
  closeUp,
  folderPasswordOf,
  fullPath,
  lock,
  lockNew,
  noteNamed,
  openNow,
  prepareFolderPassword,
  recoverInterrupted,
  release,
  unlock,
} from "@eremos/server";
import { type Command, type Invocation, acceptedBy, hintOf, only, openGate, secretFor, withEremos } from "./invocation";
import { givenTo, oneByOne } from "./several";
import { finish, summaryOf } from "./work";
import { said, say } from "@eremos/words/cli";

/** Counts of what is not encrypted, and so was not read. */
const NOTHING_SEALED = { files: 0, bytes: 0, generation: 0 };

const CHOICES = ["guard", "visibility", "hide", "view", "others", "own", "cover", "folder-password", "hint"] as const;

function oneOf<T extends string>(flags: Invocation["flags"], name: string, choices: readonly T[]): T | null {
  const given = flags[name];
  if (given === undefined || given === false) return null;
  const found = choices.find((choice) => choice === given);
  if (!found) throw new EremosError("usage", said("is-one", { name, choices: choices.join(", ") }));
  return found;
}

function protectionAsked(flags: Invocation["flags"]): ProtectionRequest {
  const short = flags["hide"] ? "hidden" : flags["view"] ? "view" : null;
  const named = oneOf(flags, "visibility", VISIBILITIES);
  if ((flags["hide"] && flags["view"]) || (short && named))
    throw new EremosError("usage", said("hide-view-and-visibility-exclude"));
  const guard = oneOf(flags, "guard", GUARDS);
  const [others, own] = [oneOf(flags, "others", LEVELS), oneOf(flags, "own", LEVELS)];
  if ((others || own) && (guard === null || !traitsOf(guard).hasBars))
    throw new EremosError("usage", said("others-and-own-belong-guard"));
  const cover = typeof flags["cover"] === "string" ? flags["cover"] : undefined;
  if (cover !== undefined && (named ?? short ?? "view") !== "view")
    throw new EremosError("usage", said("cover-belongs-folder-that-stays"));
  return {
    guard,
    visibility: named ?? short ?? (cover === undefined ? null : "view"),
    ...(cover === undefined ? {} : { cover: cover === "" ? null : cover }),
    bars: others || own ? { others: others ?? USUAL_BARS.others, own: own ?? USUAL_BARS.own } : null,
  };
}

/** Locks each of what is named, or makes it and locks it before anything is in it. */
async function lockEach(invocation: Invocation, begin: typeof lock): ReturnType<Command<"lock" | "new">> {
  const { flags, asking } = invocation;
  const protection = protectionAsked(flags);
  const withPassword = flags["folder-password"] === true;
  if (flags["hint"] && !withPassword) throw new EremosError("usage", said("hint-belongs-folder-password-here"));
  return withEremos(invocation, async (eremos) => {
    eremos.requireOwner();
    if (flags["password-stdin"] || withPassword) await openGate(eremos, invocation);
    else await recoverInterrupted(eremos);
    const password = withPassword
      ? await prepareFolderPassword(eremos, {
          password: await asking.ask(say("password-this-folder"), true),
          hint: hintOf(invocation),
        })
      : null;
    return oneByOne(await givenTo(invocation), async (name) => {
      const path = openNow(eremos, name) ?? name;
      const inUseAnyway = flags["anyway"] === true;
      const asked = { path, protection, password, inUseAnyway, from: process.cwd() } satisfies LockRequest;
      const job = await begin(eremos, asked);
      const { folder, path: now, sealed } = await finish(eremos, job);
      const { files, bytes, generation } = sealed ?? NOTHING_SEALED;
      const full = fullPath(path.toString(), eremos.settings.home, process.cwd()).toString("utf8");
      return {
        result: { id: folder, path: full, realPath: now.toString("utf8"), files, bytes, generation },
        line: summaryOf(eremos, job.id),
      };
    });
  });
}

export const lockCommand: Command<"lock"> = (invocation) => {
  only(invocation, "password-stdin", "null", "anyway", ...CHOICES);
  return lockEach(invocation, lock);
};

/** As the page does it, or as they were locked before. */
export async function lockFromMenu(
  invocation: Invocation,
): Promise<{ readonly lines: readonly string[]; readonly exitCode: number }> {
  const { lines, exitCode = 0 } = await lockEach({ ...invocation, from: "menu" }, lock);
  return { lines, exitCode };
}

export const newCommand: Command<"new"> = (invocation) => {
  only(invocation, "password-stdin", "null", ...CHOICES);
  return lockEach(invocation, lockNew);
};

/** All that lie open, or those that are named. */
export const closeCommand: Command<"close"> = (invocation) => {
  only(invocation, "anyway", "null");
  const anyway = invocation.flags["anyway"] === true;
  return withEremos(invocation, async (eremos) => {
    eremos.requireOwner();
    await recoverInterrupted(eremos);
    if (invocation.words.length === 0) return closeAll(eremos, anyway);
    return oneByOne(await givenTo(invocation), async (name) => {
      const note = noteNamed(eremos, name, process.cwd());
      if (!note) throw new EremosError("not-open", said("does-not-lie-open", { name }));
      const { locked, left } = await closeThese(eremos, anyway, ({ id }) => id === note.id);
      const [still] = left;
      if (still) throw still.error;
      const [path = name] = locked;
      return { result: { path }, line: say("is-locked-now", { path }) };
    });
  });
};

async function closeAll(eremos: Eremos, anyway: boolean): ReturnType<Command<"close">> {
  const { locked, left } = await closeThese(eremos, anyway, () => true);
  const lines = [
    locked.length === 0 && left.length === 0 ? say("no-folder-lies-open") : say("locked", { locked: locked.length }),
    ...left.map(({ path, error }) => say("still-open", { path, reason: error.message })),
  ];
  return {
    result: { locked, left: left.map(({ path, error }) => ({ path, reason: error.message })) },
    lines,
    exitCode: left.length > 0 ? 4 : 0,
  };
}

async function closeThese(
  eremos: Eremos,
  anyway: boolean,
  which: Parameters<typeof closeUp>[2],
): Promise<{ locked: string[]; left: { path: string; error: EremosError }[] }> {
  const { locking, left } = await closeUp(eremos, anyway, which);
  const locked: string[] = [];
  const stayed = [...left];
  for (const { path, job } of locking) {
    try {
      await finish(eremos, job);
      locked.push(path);
    } catch (error) {
      if (!(error instanceof EremosError)) throw error;
      stayed.push({ path, error });
    }
  }
  return { locked, left: stayed };
}

export const unlockCommand: Command<"unlock"> = (invocation) => {
  only(invocation, "password-stdin", "null", "accept", "with-code", "with-shares");
  return withEremos(invocation, async (eremos) => {
    await openGate(eremos, invocation);
    return oneByOne(await givenTo(invocation), async (pathOrId) => {
      // Nothing of Eremos may run afterwards that could lock it by itself.
      const job = await unlock(eremos, {
        pathOrId,
        from: process.cwd(),
        accept: acceptedBy(invocation),
        secret: await secretFor(eremos, pathOrId, invocation),
        mode: { kind: "until-locked" },
      });
      const { folder, path, unsealed } = await finish(eremos, job);
      const { files, bytes } = unsealed ?? NOTHING_SEALED;
      return { result: { id: folder, path: path.toString("utf8"), files, bytes }, line: summaryOf(eremos, job.id) };
    });
  });
};

export const releaseCommand: Command<"release"> = (invocation) => {
  only(invocation, "password-stdin", "null", "accept", "with-code", "with-shares");
  return withEremos(invocation, async (eremos) => {
    await openGate(eremos, invocation);
    return oneByOne(await givenTo(invocation), async (pathOrId) => {
      // An open one is readable anyway.
      const secret = folderPasswordOf(eremos, pathOrId, process.cwd()).isOpen
        ? null
        : await secretFor(eremos, pathOrId, invocation);
      const job = await release(eremos, { pathOrId, from: process.cwd(), accept: acceptedBy(invocation), secret });
      const { path } = await finish(eremos, job);
      return { result: { path: path.toString("utf8") }, line: summaryOf(eremos, job.id) };
    });
  });
};
