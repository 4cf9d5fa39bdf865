import { isEncrypting } from "@eremos/core/guards";
import type { FolderView } from "@eremos/server/contract";
import { say } from "@eremos/words/page/acts";

/** What can be done with a folder, in the order in which menus offer it. */
const ACTS = [
  "visit",
  "back-to-visit",
  "open",
  "open-rest",
  "lock",
  "lock-rest",
  "look-for",
  "details",
  "open-file",
  "show",
  "move-in",
  "take-back",
  "hand-over",
  "end-visit",
  "check",
  "protect",
  "release",
  "remove",
  "put-back",
] as const;
export type Act = (typeof ACTS)[number];

export const ACT_WORDS: Readonly<Record<Act, string>> = {
  visit: say("visit"),
  "back-to-visit": say("back-to-visit"),
  open: say("open"),
  "open-rest": say("open-rest"),
  lock: say("lock"),
  "lock-rest": say("lock-rest"),
  "look-for": say("look-for"),
  details: say("details"),
  "open-file": say("open-file"),
  show: say("show"),
  "move-in": say("move-in"),
  "take-back": say("take-back"),
  "hand-over": say("hand-over"),
  "end-visit": say("end-visit"),
  check: say("check"),
  protect: say("protect"),
  release: say("release"),
  remove: say("remove"),
  "put-back": say("put-back"),
};

/** The same, done with all that are chosen, in words that say how many. */
const MANY_WORDS = {
  open: (count: number) => say("open-many", { count }),
  lock: (count: number) => say("lock-many", { count }),
  check: (count: number) => say("check-many", { count }),
  protect: (count: number) => say("protect-many", { count }),
  release: (count: number) => say("release-many", { count }),
  remove: (count: number) => say("remove-many", { count }),
} satisfies Partial<Record<Act, (count: number) => string>>;
export type ManyAct = keyof typeof MANY_WORDS;

/** Whether it can be done with the folder as it is now. */
const APPLIES: Readonly<Record<Act, (folder: FolderView) => boolean>> = {
  visit: (folder) => isSealedNow(folder) && folder.visit === null,
  "back-to-visit": (folder) => folder.visit !== null,
  open: ({ state }) => state === "locked",
  "open-rest": ({ state }) => state === "partly",
  lock: ({ state }) => state === "open",
  "lock-rest": ({ state }) => state === "partly",
  "look-for": ({ state }) => state === "missing",
  details: () => true,
  "open-file": ({ kind, state }) => kind === "file" && state === "open",
  show: (folder) => isThere(folder) && (folder.state === "open" || folder.visibility === "view"),
  "move-in": isSealedNow,
  "take-back": ({ state, returnable }) => state === "locked" && returnable > 0,
  "hand-over": ({ state, visit }) => (state === "locked" && visit === null) || state === "open",
  "end-visit": (folder) => folder.visit !== null,
  check: isSealedNow,
  protect: ({ state }) => state === "locked" || state === "open",
  release: ({ state }) => state === "locked" || state === "open",
  remove: ({ state }) => state === "locked" || state === "open",
  "put-back": ({ removed }) => removed !== null,
};

function isThere({ state }: FolderView): boolean {
  return state !== "missing" && state !== "away";
}

function isSealedNow(folder: FolderView): boolean {
  return folder.state === "locked" && isEncrypting(folder);
}

/** Of one in the trash. */
const IN_TRASH: readonly Act[] = ["put-back", "remove"];

/** The first is the main one: what a double click and Enter do. */
export function actsOf(folder: FolderView): readonly Act[] {
  const acts = folder.removed === null ? ACTS : IN_TRASH;
  return acts.filter((act) => APPLIES[act](folder));
}

/** @throws nothing: of every folder there is its page at least */
export function mainActOf(folder: FolderView): Act {
  return actsOf(folder)[0] ?? "details";
}

/** What can be done with some of several folders at once, and with which of them. */
export function actsOfMany(
  folders: readonly FolderView[],
): readonly { readonly act: ManyAct; readonly words: string; readonly folders: readonly FolderView[] }[] {
  return (Object.keys(MANY_WORDS) as ManyAct[])
    .map((act) => ({ act, folders: folders.filter((folder) => APPLIES[act](folder)) }))
    .filter((one) => one.folders.length > 0)
    .map((one) => ({ ...one, words: MANY_WORDS[one.act](one.folders.length) }));
}
