import { EremosError, fromSystemError, isEncrypting, traitsOf } from "@eremos/core";
import {
  type CommandName,
  type FolderView,
  INSURANCES,
  answerDesktop,
  changePassword,
  check,
  checkWithoutKey,
  desktopParts,
  drop,
  fullPath,
  insuranceView,
  insure,
  listFolders,
  mountCommandOf,
  moveIn,
  onEndSignals,
  onlook,
  readSettings,
  repair,
  serve,
  setDesktop,
  setFolderPassword,
  setupAtOnce,
  showPage,
  startVisit,
  statusOf,
  takeBackMovedIn,
} from "@eremos/server";
import { EXIT_CODES } from "./exit-codes";
import {
  type Command,
  type Invocation,
  acceptedBy,
  hintOf,
  noWords,
  oneWord,
  only,
  openGate,
  secretFor,
  signInWith,
  withEremos,
} from "./invocation";
import {
  keyholdersCommand,
  mendCommand,
  newKeysCommand,
  practiceCommand,
  recoverCommand,
  rescueCommand,
  scanCommand,
} from "./ways-back";
import { note, print, sayResult } from "./terminal";
import { closeCommand, lockCommand, newCommand, releaseCommand, unlockCommand } from "./locking";
import { activityCommand } from "./activity";
import { handOverCommand, receiveCommand } from "./hand-over";
import { menuCommand } from "./menu";
import { overwriteCommand } from "./overwrite";
import { removeCommand } from "./remove";
import { tracesCommand } from "./traces";
import { finish, summaryOf } from "./work";
import { said, say } from "@eremos/words/cli";

const VISIBILITY_WORDS = { view: say("in-view"), hidden: say("hidden-in-place"), tucked: say("tucked-away") } as const;

function tableLines(folder: FolderView): string[] {
  const how = `${traitsOf(folder.guard).word}, ${VISIBILITY_WORDS[folder.visibility]}`;
  const facts = say("files-bytes-id", {
    how,
    isEncrypting: isEncrypting(folder),
    files: folder.files,
    bytes: folder.bytes,
    id: folder.id,
  });
  return [
    `${(folder.removed ? say("in-trash-state") : folder.state).padEnd(12)} ${folder.path}`,
    ...[facts, ...(folder.attention ? [folder.attention] : [])].map((line) => `${" ".repeat(13)}${line}`),
  ];
}

const setup: Command<"setup"> = async (invocation) => {
  only(invocation, "password-stdin", "hint", "effort");
  noWords(invocation);
  const effort = effortOf(invocation);
  return withEremos(invocation, async (eremos) => {
    const password = await invocation.asking.ask(say("new-master-password"), true);
    const hint = hintOf(invocation);
    const { recoveryCode } = await setupAtOnce(eremos, { password, hint, effort });
    return {
      result: { recoveryCode },
      lines: [say("your-recovery-code-shown-this"), "", `  ${recoveryCode}`, ""],
    };
  });
};

function effortOf({ flags }: Invocation): "light" | "standard" | "heavy" {
  const { effort = "standard" } = flags;
  if (effort === "light" || effort === "standard" || effort === "heavy") return effort;
  throw new EremosError("usage", said("effort-takes-light-standard-or"));
}

const passwd: Command<"passwd"> = async (invocation) => {
  if (invocation.words.length > 0) return folderPasswd(invocation);
  only(invocation, "password-stdin", "hint");
  return withEremos(invocation, async (eremos) => {
    eremos.requireOwner();
    const current = await invocation.asking.ask(say("present-master-password"));
    const password = await invocation.asking.ask(say("new-master-password"), true);
    await signInWith(eremos, current);
    const hint = hintOf(invocation);
    const { left } = await changePassword(eremos, { current, password, hint });
    const lines = [say("master-password-is-changed-recovery")];
    if (left.length > 0) lines.push(say("these-folders-are-out-reach"), ...left.map(({ path }) => `  ${path}`));
    return { result: { left }, lines };
  });
};

/** A folder's own password: set, changed, or taken off by an empty new one. */
const folderPasswd: Command<"passwd"> = async (invocation) => {
  only(invocation, "password-stdin", "hint", "with-code", "with-shares");
  const folder = oneWord(invocation, say("path-or-id"));
  return withEremos(invocation, async (eremos) => {
    await openGate(eremos, invocation);
    const from = process.cwd();
    const secret = await secretFor(eremos, folder, invocation);
    const typed = await invocation.asking.ask(say("new-password-this-folder-empty"), true);
    await setFolderPassword(
      eremos,
      { folder, secret, password: typed === "" ? null : { password: typed, hint: hintOf(invocation) } },
      from,
    );
    return {
      result: { hasPassword: typed !== "" },
      lines: [typed === "" ? say("it-opens-with-master-password") : say("it-opens-with-master-password-and")],
    };
  });
};

const list: Command<"list"> = async (invocation) => {
  only(invocation, "password-stdin");
  noWords(invocation);
  return withEremos(invocation, async (eremos) => {
    const { looked } = await openGate(eremos, invocation);
    const folders = listFolders(eremos, looked);
    const shown = folders.map(
      ({ id, kind, path, realPath, guard, visibility, cover, bars, hasPassword, state, removed, files, bytes }) => ({
        id,
        kind,
        path,
        realPath,
        guard,
        visibility,
        cover,
        bars,
        hasPassword,
        state,
        removed,
        files,
        bytes,
      }),
    );
    return {
      result: { folders: shown },
      lines: folders.length > 0 ? folders.flatMap(tableLines) : [say("no-folder-is-protected-yet")],
    };
  });
};

const visit: Command<"visit"> = async (invocation) => {
  only(invocation, "password-stdin", "accept", "with-code", "with-shares", "minutes");
  const pathOrId = oneWord(invocation, say("path-or-id"));
  const minutes = minutesOf(invocation);
  return withEremos(invocation, async (eremos) => {
    await openGate(eremos, invocation);
    const secret = await secretFor(eremos, pathOrId, invocation);
    const view = await startVisit(eremos, {
      pathOrId,
      from: process.cwd(),
      minutes,
      accept: acceptedBy(invocation),
      secret,
    });
    const { url, user, password } = view;
    if (invocation.flags["json"]) sayResult("visit", { url, user, password });
    else
      [
        `Address   ${url}`,
        `Name      ${user}`,
        `Password  ${password}`,
        "",
        say("mount-it-with", { mountCommandOf: mountCommandOf(view) }),
        say("interrupt-this-command-ctrl-c"),
      ].forEach(print);
    const end = (): void => void eremos.visits.end(view.folder);
    onEndSignals(end);
    await eremos.visits.ended(view.folder);
    return { result: undefined, lines: [say("visit-has-ended-what-was")] };
  });
};

const dropCommand: Command<"drop"> = async (invocation) => {
  only(invocation, "password-stdin", "move", "trash", "take-back");
  if (invocation.flags["take-back"] === true) return takeBackCommand(invocation);
  const [folder, ...files] = invocation.words;
  if (folder === undefined || files.length === 0)
    throw new EremosError("usage", said("this-command-takes-locked-folder"));
  const inTrash = invocation.flags["trash"] === true;
  if (inTrash && invocation.flags["move"] !== true) throw new EremosError("usage", said("trash-belongs-to-move"));
  return withEremos(invocation, async (eremos) => {
    eremos.requireOwner();
    // Only its owner finds a folder that can't be seen.
    if (invocation.flags["password-stdin"]) await openGate(eremos, invocation);
    if (invocation.flags["move"] !== true) {
      const count = await drop(eremos, folder, files, process.cwd());
      return { result: { files: count }, lines: [say("copies-files-are-in-folder", { count })] };
    }
    const { files: moved, left } = await moveIn(eremos, folder, files, process.cwd(), inTrash ? "trash" : "remove");
    return {
      result: { files: moved, left },
      lines: [
        say("files-are-moved-in", { moved, inTrash }),
        ...left.map((one) => say("stays-where-it-is", { path: one.path, reason: one.reason })),
      ],
      exitCode: left.length > 0 ? 4 : 0,
    };
  });
};

const takeBackCommand: Command<"drop"> = async (invocation) => {
  const folder = oneWord(invocation, say("path-or-id"));
  return withEremos(invocation, async (eremos) => {
    await openGate(eremos, invocation);
    const secret = await secretFor(eremos, folder, invocation);
    const { files } = await takeBackMovedIn(eremos, folder, secret, process.cwd());
    return { result: { files }, lines: [say("files-are-back", { files })] };
  });
};

const MOST_MINUTES = 24 * 60;

function minutesOf({ flags }: Invocation): number | null {
  const { minutes } = flags;
  if (minutes === undefined) return null;
  const number = Number(minutes);
  if (!Number.isInteger(number) || number < 1 || number > MOST_MINUTES)
    throw new EremosError("usage", said("minutes-takes-whole-number-from", { mostMinutes: MOST_MINUTES }));
  return number;
}

/** By its signed list: who has no password can say whether everything has arrived. */
const checkPiecesCommand: Command<"check"> = async (invocation) => {
  only(invocation, "without-password");
  const path = oneWord(invocation, "path");
  return withEremos(invocation, async (eremos) => {
    const { pieces, arrived, bytes, damaged } = await checkWithoutKey(eremos, path, process.cwd());
    const isWhole = arrived === pieces && damaged.length === 0;
    const lines = [
      say("pieces-are-there-bytes-in", { arrived, pieces, bytes, isWhole }),
      ...damaged.map(({ path: at, reason }) => `  ${at}: ${reason}`),
    ];
    return { result: { pieces, arrived, bytes, damaged }, lines, exitCode: isWhole ? 0 : 5 };
  });
};

const checkCommand: Command<"check"> = async (invocation) => {
  if (invocation.flags["without-password"] === true) return checkPiecesCommand(invocation);
  only(invocation, "password-stdin", "with-code", "with-shares", "full");
  const pathOrId = oneWord(invocation, say("path-or-id"));
  return withEremos(invocation, async (eremos) => {
    await openGate(eremos, invocation);
    const job = await check(eremos, {
      pathOrId,
      from: process.cwd(),
      secret: await secretFor(eremos, pathOrId, invocation),
      sample: invocation.flags["full"] !== true,
    });
    const { ok, damaged } = await finish(eremos, job);
    const lines = [
      summaryOf(eremos, job.id),
      ...damaged.flatMap(({ path, reason, ranges = [] }) => [
        `  ${path}: ${reason}`,
        ...ranges.map(({ from, until }) => say("bytes", { from, until: until - 1 })),
      ]),
    ];
    return { result: { ok, damaged }, lines, exitCode: ok ? 0 : 5 };
  });
};

const insureCommand: Command<"insure"> = async (invocation) => {
  only(invocation, "password-stdin");
  const [path, how, ...more] = invocation.words;
  const asked = [...INSURANCES, "none" as const].find((one) => one === how);
  if (path === undefined || more.length > 0 || (how !== undefined && !asked))
    throw new EremosError("usage", said("say-which-folder-and-how", { insurances: INSURANCES.join(", ") }));
  return withEremos(invocation, async (eremos) => {
    await openGate(eremos, invocation);
    if (!asked) {
      const view = await insuranceView(eremos, path, process.cwd());
      const worth = (of: { readonly costs: number; readonly burst: number; readonly scattered: number }): string =>
        say("takes-bytes-repairs-bytes-in", { costs: of.costs, burst: of.burst, scattered: of.scattered });
      return {
        result: view,
        lines: [
          view.now ? `${view.chosen ?? ""}: ${worth(view.now)}` : say("not-insured"),
          ...view.choices.map((choice) => `  ${choice.insurance}: ${worth(choice)}`),
        ],
      };
    }
    const job = await insure(eremos, path, asked === "none" ? null : asked, process.cwd());
    await finish(eremos, job);
    return { result: await insuranceView(eremos, path, process.cwd()), lines: [summaryOf(eremos, job.id)] };
  });
};

const repairCommand: Command<"repair"> = async (invocation) => {
  only(invocation, "password-stdin", "with-code", "with-shares");
  const path = oneWord(invocation, say("path-or-id"));
  return withEremos(invocation, async (eremos) => {
    await openGate(eremos, invocation);
    const job = await repair(eremos, path, await secretFor(eremos, path, invocation), process.cwd());
    const { repaired, lost, ownDamage } = await finish(eremos, job);
    return {
      result: { repaired, lost, ownDamage },
      lines: [summaryOf(eremos, job.id)],
      exitCode: lost.length > 0 ? 5 : 0,
    };
  });
};

const onlooker: Command<"onlooker"> = async (invocation) => {
  only(invocation);
  const path = oneWord(invocation, "path");
  return withEremos(invocation, async (eremos) => {
    const { place, kinds } = await onlook(eremos, path, process.cwd());
    const lines = kinds.flatMap((view) => [
      view.verdict,
      ...view.entries.slice(0, 40).map((entry) => `    ${entry.type.padEnd(5)} ${entry.name}`),
      ...(view.entries.length > 40 ? [say("and-more", { entries: view.entries.length - 40 + view.more })] : []),
      "",
    ]);
    const shown = kinds.map(({ kind, entries, verdict, more, facts, sample }) => ({
      kind,
      entries,
      verdict,
      more,
      facts,
      sample,
    }));
    return { result: { place, kinds: shown }, lines: [place, "", ...lines] };
  });
};

const page: Command<"page"> = async (invocation) => {
  only(invocation);
  if (invocation.words.length > 1) throw new EremosError("usage", said("this-command-takes-one-path"));
  const [typed] = invocation.words;
  const settings = readSettings(process.env, invocation.program);
  const path = typed === undefined ? null : fullPath(typed, settings.home, process.cwd());
  const { address, shown } = await showPage(settings, path);
  return {
    result: { address, shown },
    lines: [shown ? say("eremos-is-at", { address }) : say("open-in-your-browser", { address })],
  };
};

/** What the desktop starts by its bus; it says what to show there. */
const desktop: Command<"desktop"> = async (invocation) => {
  only(invocation);
  noWords(invocation);
  await answerDesktop(readSettings(process.env, invocation.program));
  return { result: {}, lines: [] };
};

const status: Command<"status"> = async (invocation) => {
  only(invocation);
  noWords(invocation);
  const told = await statusOf(readSettings(process.env, invocation.program));
  return {
    result: told,
    lines: [
      say("version-and-whether-it-runs", { version: told.version, isRunning: told.running }),
      say("protected-and-open", { protected: told.protected, open: told.open }),
    ],
  };
};

const integrate: Command<"integrate"> = async (invocation) => {
  only(invocation, "remove");
  noWords(invocation);
  const settings = readSettings(process.env, invocation.program);
  setDesktop(settings, invocation.flags["remove"] !== true);
  const parts = desktopParts(settings);
  return {
    result: parts,
    lines: [
      invocation.flags["remove"] ? say("taken-off-desktop-application-entry") : say("added-application-entry-start-at"),
    ],
  };
};

const serveCommand: Command<"serve"> = async (invocation) => {
  only(invocation);
  noWords(invocation);
  let isSaid = false;
  try {
    await serve(readSettings(process.env, invocation.program), (address) => {
      note(say("eremos-is-at", { address }));
      isSaid = invocation.flags["json"] === true;
      if (isSaid) sayResult("serve", { address });
    });
  } catch (error) {
    // The one document on standard output is out.
    if (!isSaid) throw error;
    note(`eremos: ${fromSystemError(error, said("serving")).message}`);
    return { result: undefined, lines: [], exitCode: EXIT_CODES.failed };
  }
  return { result: undefined, lines: [] };
};

export const COMMANDS: { readonly [N in CommandName]: Command<N> } = {
  setup,
  passwd,
  list,
  lock: lockCommand,
  new: newCommand,
  close: closeCommand,
  unlock: unlockCommand,
  visit,
  drop: dropCommand,
  release: releaseCommand,
  check: checkCommand,
  insure: insureCommand,
  repair: repairCommand,
  recover: recoverCommand,
  practice: practiceCommand,
  keyholders: keyholdersCommand,
  "new-keys": newKeysCommand,
  mend: mendCommand,
  scan: scanCommand,
  rescue: rescueCommand,
  activity: activityCommand,
  traces: tracesCommand,
  overwrite: overwriteCommand,
  remove: removeCommand,
  onlooker,
  page,
  status,
  integrate,
  "hand-over": handOverCommand,
  receive: receiveCommand,
  desktop,
  menu: menuCommand,
  serve: serveCommand,
};
