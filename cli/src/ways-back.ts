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
  resetPassword,
  returnOwner,
  scanPlaces,
  sharesOf,
  takeIn,
  takeInFound,
} from "@eremos/server";
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

/** Getting back in, and everything out: what works without the list, the database, or the password. */
export const rescueCommand: Command = async (invocation) => {
  only(invocation, "password-stdin", ...BACK_FLAGS, "to", "accept");
  const folder = resolve(oneWord(invocation, "folder"));
  const { to } = invocation.flags;
  if (typeof to !== "string" || to === "")
    throw new EremosError("usage", "Say where to: --to DIRECTORY, an empty or a new one on a disk with enough room.");
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
  const password = await asking.ask("Master password");
  return {
    kind: "password",
    password,
    folderPassword: hasPassword
      ? await asking.ask(`Password of this folder${hint === null ? "" : ` (hint: ${hint})`}`)
      : null,
  };
}

export const recoverCommand: Command = async (invocation) => {
  only(invocation, "password-stdin", ...BACK_FLAGS, "hint", "accept");
  const { words, asking } = invocation;
  if (words.length > 1)
    throw new EremosError("usage", "This command takes one folder at most. `eremos help` lists the commands.");
  const [folder] = words;
  const hint = hintOf(invocation);
  return withEremos(invocation, async (eremos) => {
    if (folder === undefined) {
      eremos.requireOwner();
      const secret = await backSecret(invocation);
      const { left } = await resetPassword(eremos, {
        secret,
        password: await asking.ask("New master password", true),
        hint,
      });
      const lines = [
        "The new master password is set. Code and shares stay as they are.",
        ...left.map(
          ({ path }) =>
            `Out of reach now, and opening with the old password until you sign in while it is there: ${path}`,
        ),
      ];
      return { result: { left }, lines };
    }
    if (eremos.data.owner()) return takeInAt(eremos, invocation, resolve(folder));
    const isBack = isWithoutPassword(invocation);
    await scanPlaces(eremos, null, process.cwd());
    const secret = isBack
      ? await backSecret(invocation)
      : { kind: "password" as const, password: await asking.ask("Master password") };
    const result = await returnOwner(eremos, {
      path: resolve(folder),
      secret,
      password: isBack ? await asking.ask("New master password", true) : null,
      hint,
    });
    const lines = [
      `${result.taken.length} of your folders are listed again${result.taken.length > 0 ? `: ${result.taken.join(", ")}` : ""}.`,
      ...result.left.map(({ path, reason }) => `Not yet: ${path}. ${reason}`),
    ];
    return { result, lines };
  });
};

/** Signed in: one folder that the list has lost or that was moved, or all of them in a directory. */
async function takeInAt(eremos: Eremos, invocation: Invocation, path: string): ReturnType<Command> {
  if (isWithoutPassword(invocation))
    throw new EremosError(
      "usage",
      "Eremos has a master password on this computer; it is what takes a folder in. If you have forgotten it, run `eremos recover` first. Nothing was changed.",
    );
  await openGate(eremos, invocation);
  const inspection = inspectFolder(eremos.disk, Buffer.from(path));
  if (!inspection) {
    await scanPlaces(eremos, [path], process.cwd());
    const result = await takeInFound(eremos);
    return {
      result,
      lines: [
        result.taken.length === 0
          ? "None of your folders was found there that the list did not have."
          : `In the list again: ${result.taken.join(", ")}.`,
        ...result.left.map((one) => `Not yet: ${one.path}. ${one.reason}`),
      ],
    };
  }
  const id = await takeIn(eremos, {
    path,
    secret: await secretOfFound(path, inspection, invocation),
    accept: acceptedBy(invocation),
  });
  const view = listFolders(eremos).find((one) => one.id === id);
  return {
    result: { taken: view ? [view.name] : [], left: [] },
    lines: [`${view?.name ?? path} is in the list again, at ${view?.path ?? path}.`],
  };
}

/** Of the owner's own folders with a password of its own, that; null: the master password is enough. */
async function secretOfFound(
  path: string,
  inspection: Inspection,
  invocation: Invocation,
): Promise<RescueSecret | null> {
  const found = isEncrypting(inspection) ? await findLocked(directorySource(Buffer.from(path))) : null;
  if (!found?.hasPassword) return null;
  const own = await invocation.asking.ask(
    `Password of this folder${found.hint === null ? "" : ` (hint: ${found.hint})`}`,
  );
  return { kind: "password", password: "", folderPassword: own };
}

export const mendCommand: Command = async (invocation) => {
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
        mended.length === 0
          ? "Its records are whole: there was nothing to mend."
          : `Written anew: ${mended.join(", ")}.`,
      ],
    };
  });
};

/** *Somebody knows it*: new keys throughout; then, here and with `go-on`, the folders that get one. */
export const newKeysCommand: Command = async (invocation) => {
  only(invocation, "password-stdin", "hint");
  const {
    words: [word, ...more],
    asking,
  } = invocation;
  if (more.length > 0 || (word !== undefined && word !== "go-on"))
    throw new EremosError(
      "usage",
      "Say `eremos new-keys`, or `eremos new-keys go-on` for the folders that wait. Nothing was changed.",
    );
  return withEremos(invocation, async (eremos) => {
    eremos.requireOwner();
    const current = await asking.ask("Present master password");
    const password = word === undefined ? await asking.ask("New master password", true) : null;
    eremos.isLasting = true;
    await signInWith(eremos, current);
    const recoveryCode =
      password === null
        ? null
        : (await newKeysAtOnce(eremos, { current, password, hint: hintOf(invocation) })).recoveryCode;
    await finishAll(eremos);
    const view = newKeysView(eremos);
    if (!view)
      throw new EremosError(
        "not-set-up",
        "No new keys were made so far. `eremos new-keys` makes them. Nothing was changed.",
      );
    const shown =
      recoveryCode === null
        ? []
        : [
            "Your new recovery code, shown this once. Write it down; the one before opens nothing that could be reached:",
            "",
            `  ${recoveryCode}`,
            "",
          ];
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
  working: "under way",
  away: "away",
  open: "open now",
  password: "it has a password of its own: open it once",
  refused: "not done yet",
} as const;

function describeNewKeys({ anew, waiting, older }: NonNullable<ReturnType<typeof newKeysView>>): string[] {
  return [
    `Encrypted anew: ${anew}.`,
    `Waiting: ${waiting.length}.`,
    ...waiting.map(({ path, why, refusal }) => `  ${path}: ${WHY_WORDS[why]}${refusal === null ? "" : `. ${refusal}`}`),
    `Still opened by an older copy, in earlier states that are kept: ${older.length}.`,
    ...older.map(({ path, states }) => `  ${path}: ${states === 1 ? "1 earlier state" : `${states} earlier states`}`),
    "What somebody copied before opens with what they know for ever.",
  ];
}

export const practiceCommand: Command = async (invocation) => {
  only(invocation, "password-stdin", ...BACK_FLAGS);
  noWords(invocation);
  return withEremos(invocation, async (eremos) => {
    await openGate(eremos, invocation);
    const secret = await backSecret(invocation);
    const { folders } = await practice(eremos, secret);
    const what =
      secret.kind === "code"
        ? ["The code opens", "The code does not open"]
        : ["The shares open", "The shares do not open"];
    const failed = folders.filter(({ problem }) => problem !== null);
    const lines = [
      failed.length === 0
        ? `${what[0]} ${folders.length === 1 ? "the one sealed folder" : `all ${folders.length} sealed folders`}. Nothing was changed.`
        : `${what[1]} ${failed.length} of ${folders.length}:`,
      ...failed.map(({ path, problem }) => `  ${path}: ${problem}`),
    ];
    return { result: { folders }, lines, exitCode: failed.length === 0 ? 0 : 5 };
  });
};

export const scanCommand: Command = async (invocation) => {
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
  const end = `${found.length === 1 ? "1 protected folder" : `${found.length} protected folders`} found in ${directories.toLocaleString("en")} directories${wasStopped ? "; stopped before the end" : ""}.`;
  const lines = [
    ...found.flatMap(describeFound),
    end,
    ...unreadable.map((one) => `Not looked into (no permission, or the disk can't read it): ${one}`),
  ];
  return {
    result: {
      found: found.map((one) => ({ ...one, path: one.path.toString("utf8") })),
      directories,
      unreadable,
      stopped: wasStopped,
    },
    lines,
    exitCode: wasStopped ? 6 : 0,
  };
};

export const keyholdersCommand: Command = async (invocation) => {
  only(invocation, "password-stdin", "of");
  const [threshold, ...names] = invocation.words;
  return withEremos(invocation, async (eremos) => {
    eremos.requireOwner();
    const current = await invocation.asking.ask("Master password");
    await signInWith(eremos, current);
    if (threshold === undefined)
      return { result: keyholdersView(eremos), lines: describeKeyholders(keyholdersView(eremos)) };
    const asked = Number(threshold);
    if (!Number.isInteger(asked) || asked < 2 || names.length < 2)
      throw new EremosError(
        "usage",
        "Say how many together open, and who: eremos keyholders 2 Tomas Mirela Pavel. Nothing was changed.",
      );
    const { of } = invocation.flags;
    const { left } = await nameKeyholders(eremos, {
      current,
      of: typeof of === "string" ? of : userInfo().username,
      threshold: asked,
      holders: names.map((name) => ({ name, mail: null })),
    });
    const shares = sharesOf(eremos) ?? [];
    const lines = [
      "Each to its holder, and nowhere else:",
      ...shares.flatMap(({ name, share }) => ["", name, `  ${share}`]),
      "",
      `Any ${asked} of the ${names.length} together open everything. Earlier shares open nothing that could be reached.`,
      ...left.map(({ path }) => `As before until it is opened or here again: ${path}`),
    ];
    return { result: { shares, left }, lines };
  });
};

function describeKeyholders(view: ReturnType<typeof keyholdersView>): string[] {
  if (!view) return ["There are no keyholders."];
  return [
    `Any ${view.threshold} of ${view.count} together open.`,
    ...(view.holders?.map(({ name }) => `  ${name}`) ?? [
      "  They were named on another computer; their names are known there only.",
    ]),
  ];
}
