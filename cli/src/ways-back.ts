import { userInfo } from "node:os";
import { resolve } from "node:path";
import {
  EremosError,
  type Inspection,
  type RescueSecret,
  type ScanFound,
  describeFound,
  describeReport,
  directorySource,
  disk,
  findLocked,
  inspectFolder,
  isEncrypting,
  rescue,
  scan,
  wholeDresser,
} from "@eremos/core";
import {
  type Eremos,
  keyholdersView,
  listFolders,
  mend,
  nameKeyholders,
  newKeysAtOnce,
  newKeysView,
  onEndSignals,
  practice,
  readOwnerAt,
  resetPassword,
  returnOwner,
  scanPlaces,
  sharesOf,
  takeIn,
  takeInFound,
} from "@eremos/server";
import { EXIT_CODES } from "./exit-codes";
import {
  BACK_FLAGS,
  type Command,
  type Invocation,
  acceptedBy,
  backSecret,
  hintOf,
  isWithoutPassword,
  noWords,
  oneWord,
  only,
  openGate,
  ownSecret,
  signInWith,
  withEremos,
} from "./invocation";
import { endProgress, showProgress } from "./progress";
import { said, say } from "@eremos/words/cli";

/** Getting back in, and everything out: what works without the list, the database, or the password. */
export const rescueCommand: Command<"rescue"> = async (invocation) => {
  only(invocation, "password-stdin", ...BACK_FLAGS, "to", "accept");
  const folder = resolve(oneWord(invocation, "folder"));
  const { to } = invocation.flags;
  if (typeof to !== "string" || to === "") throw new EremosError("usage", said("say-where-directory-empty-or"));
  const from = Buffer.from(folder);
  const target = resolve(to);
  const report = await rescue({
    folder: from,
    to: Buffer.from(target),
    secret: () => rescueSecret(from, invocation),
    acceptUnknown: acceptedBy(invocation).includes("unvouched"),
    dresser: wholeDresser(disk),
    progress: (progress) => showProgress("", "unlock", { phase: "restoring", ...progress }),
  });
  endProgress();
  return {
    result: report,
    lines: describeReport(report, target),
    exitCode: report.damaged.length > 0 || report.problems.length > 0 ? 5 : 0,
  };
};

async function rescueSecret(folder: Buffer, { asking, flags }: Invocation): Promise<RescueSecret> {
  if (isWithoutPassword({ flags })) return backSecret({ asking, flags });
  const { hasPassword, hint } = await findLocked(directorySource(folder));
  const password = await asking.ask(say("master-password"));
  return {
    kind: "password",
    password,
    folderPassword: hasPassword
      ? await asking.ask(say("password-this-folder-2", { noHint: hint === null, hint }))
      : null,
  };
}

export const recoverCommand: Command<"recover"> = async (invocation) => {
  only(invocation, "password-stdin", ...BACK_FLAGS, "hint", "accept");
  const { words, asking } = invocation;
  if (words.length > 1) throw new EremosError("usage", said("this-command-takes-one-folder"));
  const [folder] = words;
  const hint = hintOf(invocation);
  return withEremos(invocation, async (eremos) => {
    if (folder === undefined) {
      eremos.requireOwner();
      const secret = await backSecret(invocation);
      const { left } = await resetPassword(eremos, {
        secret,
        password: await asking.ask(say("new-master-password"), true),
        hint,
      });
      const lines = [
        say("new-master-password-is-set"),
        ...left.map(({ path }) => say("out-reach-now-and-opening", { path })),
      ];
      return { result: { left }, lines };
    }
    if (eremos.data.owner()) return takeInAt(eremos, invocation, resolve(folder));
    const isBack = isWithoutPassword(invocation);
    await scanPlaces(eremos, null, process.cwd());
    const secret = isBack
      ? await backSecret(invocation)
      : { kind: "password" as const, password: await asking.ask(say("master-password")) };
    const result = await returnOwner(eremos, {
      path: resolve(folder),
      secret,
      password: isBack ? await asking.ask(say("new-master-password"), true) : null,
      hint,
    });
    const lines = [
      say("your-folders-are-listed-again", {
        taken: result.taken.length,
        hasTaken: result.taken.length > 0,
        names: result.taken.join(", "),
      }),
      ...result.left.map(({ path, reason }) => say("not-yet", { path, reason })),
    ];
    return { result, lines };
  });
};

/** Signed in: one folder that the list has lost or that was moved, or all of them in a directory. */
async function takeInAt(eremos: Eremos, invocation: Invocation, path: string): ReturnType<Command<"recover">> {
  if (isWithoutPassword(invocation)) throw new EremosError("usage", said("eremos-has-master-password-on"));
  await openGate(eremos, invocation);
  const inspection = inspectFolder(eremos.disk, Buffer.from(path));
  if (!inspection) {
    await scanPlaces(eremos, [path], process.cwd());
    const result = await takeInFound(eremos);
    return {
      result,
      lines: [
        result.taken.length === 0
          ? say("none-your-folders-was-found")
          : say("in-list-again", { taken: result.taken.join(", ") }),
        ...result.left.map((one) => say("not-yet", { path: one.path, reason: one.reason })),
      ],
    };
  }
  const id = await takeIn(eremos, {
    path,
    secret: await secretOfFound(eremos, path, inspection, invocation),
    accept: acceptedBy(invocation),
  });
  const view = listFolders(eremos).find((one) => one.id === id);
  return {
    result: { taken: view ? [view.name] : [], left: [] },
    lines: [say("is-in-list-again-at", { name: view?.name ?? path, path: view?.path ?? path })],
  };
}

/**
 * Of the owner's own folders with a password of its own, that; of somebody else's folder theirs; null: the master
 * password is enough.
 */
async function secretOfFound(
  eremos: Eremos,
  path: string,
  inspection: Inspection,
  invocation: Invocation,
): Promise<RescueSecret | null> {
  if ((await readOwnerAt(Buffer.from(path))).owner !== eremos.requireOwner().owner)
    return {
      kind: "password",
      password: await invocation.asking.ask(say("password-by-which-it-was-locked")),
      folderPassword: null,
    };
  const found = isEncrypting(inspection) ? await findLocked(directorySource(Buffer.from(path))) : null;
  if (!found?.hasPassword) return null;
  const own = await invocation.asking.ask(
    say("password-this-folder-2", { noHint: found.hint === null, hint: found.hint }),
  );
  return { kind: "password", password: "", folderPassword: own };
}

export const mendCommand: Command<"mend"> = async (invocation) => {
  only(invocation, "password-stdin", "with-code", "with-shares");
  const path = resolve(oneWord(invocation, "path"));
  return withEremos(invocation, async (eremos) => {
    await openGate(eremos, invocation);
    const { hasPassword, hint } = await findLocked(directorySource(Buffer.from(path))).catch(() => ({
      hasPassword: false,
      hint: null,
    }));
    const secret = hasPassword ? await ownSecret(invocation, hint) : null;
    const mended = await mend(eremos, { path, secret });
    return {
      result: { mended },
      lines: [
        mended.length === 0 ? say("its-records-are-whole-there") : say("written-anew", { mended: mended.join(", ") }),
      ],
    };
  });
};

/** *Somebody knows it*: new keys throughout; then, here and with `go-on`, the folders that get one. */
export const newKeysCommand: Command<"new-keys"> = async (invocation) => {
  only(invocation, "password-stdin", "hint");
  const {
    words: [word, ...more],
    asking,
  } = invocation;
  if (more.length > 0 || (word !== undefined && word !== "go-on"))
    throw new EremosError("usage", said("say-eremos-new-keys-or"));
  return withEremos(invocation, async (eremos) => {
    eremos.requireOwner();
    const current = await asking.ask(say("present-master-password"));
    const password = word === undefined ? await asking.ask(say("new-master-password"), true) : null;
    eremos.isLasting = true;
    await signInWith(eremos, current);
    const recoveryCode =
      password === null
        ? null
        : (await newKeysAtOnce(eremos, { current, password, hint: hintOf(invocation) })).recoveryCode;
    await finishAll(eremos);
    const view = newKeysView(eremos);
    if (!view) throw new EremosError("not-set-up", said("no-new-keys-were-made"));
    const shown = recoveryCode === null ? [] : [say("your-new-recovery-code-shown"), "", `  ${recoveryCode}`, ""];
    return {
      result: { ...view, ...(recoveryCode === null ? {} : { recoveryCode }) },
      lines: [...shown, ...describeNewKeys(view)],
    };
  });
};

/** An interrupt stops what runs; what is done stays done. */
async function finishAll(eremos: Eremos): Promise<void> {
  const goOn = onEndSignals(() => void eremos.jobs.stop(0));
  try {
    await eremos.jobs.drain(LONGEST_WORK_MS);
  } finally {
    goOn();
    endProgress();
  }
}

const LONGEST_WORK_MS = 7 * 24 * 3600 * 1000;
const WHY_WORDS = {
  working: say("under-way"),
  away: "away",
  open: say("open-now"),
  password: say("it-has-password-its-own"),
  refused: say("not-done-yet"),
} as const;

function describeNewKeys({ anew, waiting, older }: NonNullable<ReturnType<typeof newKeysView>>): string[] {
  return [
    say("encrypted-anew", { anew }),
    `Waiting: ${waiting.length}.`,
    ...waiting.map(({ path, why, refusal }) => `  ${path}: ${WHY_WORDS[why]}${refusal === null ? "" : `. ${refusal}`}`),
    say("still-opened-by-older-copy", { older: older.length }),
    ...older.map(({ path, states }) => `  ${path}: ${say("earlier-states", { states })}`),
    say("what-somebody-copied-before-opens"),
  ];
}

export const practiceCommand: Command<"practice"> = async (invocation) => {
  only(invocation, "password-stdin", ...BACK_FLAGS);
  noWords(invocation);
  return withEremos(invocation, async (eremos) => {
    await openGate(eremos, invocation);
    const secret = await backSecret(invocation);
    const { folders } = await practice(eremos, secret);
    const failed = folders.filter(({ problem }) => problem !== null);
    const lines = [
      failed.length === 0
        ? say("practice-opens", { kind: secret.kind, folders: folders.length })
        : say("practice-fails", { kind: secret.kind, failed: failed.length, folders: folders.length }),
      ...failed.map(({ path, problem }) => `  ${path}: ${problem}`),
    ];
    return { result: { folders }, lines, exitCode: failed.length === 0 ? 0 : 5 };
  });
};

export const scanCommand: Command<"scan"> = async (invocation) => {
  only(invocation);
  const place = resolve(oneWord(invocation, "place"));
  const found: ScanFound[] = [];
  let isStopped = false;
  onEndSignals(() => (isStopped = true));
  const {
    directories,
    unreadable,
    isStopped: wasStopped,
  } = await scan({
    places: [Buffer.from(place)],
    isStopped: () => isStopped,
    onFound: (one) => void found.push(one),
    onProgress: (progress) =>
      showProgress("", "check", {
        phase: "looking",
        files: progress.directories,
        filesTotal: 0,
        bytes: 0,
        bytesTotal: 0,
      }),
  });
  endProgress();
  const end = say("protected-folders-found-in-directories", { found: found.length, directories, wasStopped });
  const lines = [
    ...found.flatMap(describeFound),
    end,
    ...unreadable.map((one) => say("not-looked-into-no-permission", { one })),
  ];
  return {
    result: {
      found: found.map((one) => ({ ...one, path: one.path.toString("utf8") })),
      directories,
      unreadable,
      stopped: wasStopped,
    },
    lines,
    exitCode: wasStopped ? EXIT_CODES.failed : 0,
  };
};

export const keyholdersCommand: Command<"keyholders"> = async (invocation) => {
  only(invocation, "password-stdin", "of");
  const [threshold, ...names] = invocation.words;
  return withEremos(invocation, async (eremos) => {
    eremos.requireOwner();
    const current = await invocation.asking.ask(say("master-password"));
    await signInWith(eremos, current);
    if (threshold === undefined)
      return { result: keyholdersView(eremos), lines: describeKeyholders(keyholdersView(eremos)) };
    const asked = Number(threshold);
    if (!Number.isInteger(asked) || asked < 2 || names.length < 2)
      throw new EremosError("usage", said("say-how-many-together-open"));
    const { of } = invocation.flags;
    const { left } = await nameKeyholders(eremos, {
      current,
      of: typeof of === "string" ? of : userInfo().username,
      threshold: asked,
      holders: names.map((name) => ({ name, mail: null })),
    });
    const shares = sharesOf(eremos) ?? [];
    const lines = [
      say("each-its-holder-and-nowhere"),
      ...shares.flatMap(({ name, share }) => ["", name, `  ${share}`]),
      "",
      say("any-together-open-everything-earlier", { asked, names: names.length }),
      ...left.map(({ path }) => say("as-before-until-it-is", { path })),
    ];
    return { result: { shares, left }, lines };
  });
};

function describeKeyholders(view: ReturnType<typeof keyholdersView>): string[] {
  if (!view) return [say("there-are-no-keyholders")];
  return [
    say("any-together-open", { threshold: view.threshold, count: view.count }),
    ...(view.holders?.map(({ name }) => `  ${name}`) ?? [say("they-were-named-on-another")]),
  ];
}
