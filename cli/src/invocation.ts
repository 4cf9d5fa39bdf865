import { type Consent, EremosError, type FolderSecret } from "@eremos/core";
import {
  type BackSecret,
  type CommandName,
  Eremos,
  type GateOpened,
  type ResultOf,
  causedBy,
  folderPasswordOf,
  readSettings,
  signIn,
} from "@eremos/server";
import type { Asking } from "./ask";
import { endProgress, showProgress } from "./progress";
import { note } from "./terminal";
import { said, say } from "@eremos/words/cli";

export interface Invocation {
  readonly words: readonly string[];
  readonly flags: Readonly<Partial<Record<string, boolean | string | readonly string[]>>>;
  readonly program: string;
  readonly asking: Asking;
  /** Where it was asked for; absent: on the command line itself. */
  readonly from?: "menu";
}

interface Answer<N extends CommandName> {
  /** The JSON document; undefined when it was printed already. */
  readonly result: ResultOf<N> | undefined;
  readonly lines: readonly string[];
  readonly exitCode?: number;
}

export type Command<N extends CommandName> = (invocation: Invocation) => Promise<Answer<N>>;

/** Longer waits after wrong passwords are said instead of sat out. */
const LONGEST_WAIT_MS = 30_000;

export function only(invocation: Invocation, ...allowed: readonly string[]): void {
  const given = Object.entries(invocation.flags).filter(
    ([name, value]) => value !== false && value !== undefined && ![...allowed, "json", "path-stdin"].includes(name),
  );
  const [first] = given;
  if (first) throw new EremosError("usage", said("does-not-belong-this-command", { first: first[0] }));
}

export function oneWord(invocation: Invocation, what: string): string {
  const [word, ...more] = invocation.words;
  if (word === undefined || word === "" || more.length > 0)
    throw new EremosError("usage", said("this-command-takes-exactly-one", { what }));
  return word;
}

export function noWords(invocation: Invocation): void {
  if (invocation.words.length > 0) throw new EremosError("usage", said("this-command-takes-no-path"));
}

export async function withEremos<T>(invocation: Invocation, run: (eremos: Eremos) => Promise<T>): Promise<T> {
  const eremos = Eremos.open(readSettings(process.env, invocation.program), showProgress);
  if (eremos.ownDataTrouble) note(eremos.ownDataTrouble);
  try {
    return await causedBy({ from: invocation.from ?? "command-line", why: null }, () => run(eremos));
  } finally {
    endProgress();
    await eremos.settle();
    eremos.close();
  }
}

export async function openGate(eremos: Eremos, invocation: Invocation): Promise<GateOpened> {
  eremos.requireOwner();
  return signInWith(eremos, await invocation.asking.ask(say("master-password")));
}

export async function signInWith(eremos: Eremos, typed: string): Promise<GateOpened> {
  const { wait } = eremos.gate;
  if (wait > 0 && wait <= LONGEST_WAIT_MS) {
    note(say("waiting-s-because-wrong-passwords", { seconds: Math.ceil(wait / 1000) }));
    await new Promise((resolve) => setTimeout(resolve, wait));
  }
  const signedIn = await signIn(eremos, typed);
  const { failedTries } = signedIn;
  if (failedTries > 0) note(say("wrong-passwords-since-last-sign", { failedTries }));
  return signedIn;
}

export const hintOf = ({ flags }: Invocation): string | null =>
  typeof flags["hint"] === "string" ? flags["hint"] : null;

/** What somebody goes on with, by the words of --accept. */
const CONSENTS: Readonly<Record<string, Consent>> = {
  unknown: "unvouched",
  older: "rolled-back",
  fork: "forked",
  arriving: "arriving",
  damaged: "files-damaged",
  costly: "costly",
};

/** @throws EremosError `usage` */
export function acceptedBy({ flags }: Pick<Invocation, "flags">): readonly Consent[] {
  const words = flags["accept"];
  return (Array.isArray(words) ? words : []).map((word: string) => {
    const consent = CONSENTS[word];
    if (!consent) throw new EremosError("usage", said("accept-takes-unknown-locked-by"));
    return consent;
  });
}

/** The flags by which somebody says that they have no password. */
export const BACK_FLAGS = ["code-stdin", "with-code", "shares-stdin", "with-shares"] as const;

export function isWithoutPassword({ flags }: Pick<Invocation, "flags">): boolean {
  return BACK_FLAGS.some((flag) => flags[flag] === true);
}

/** The recovery code, or keyholders' shares where one of the flags says so. */
export async function backSecret({ asking, flags }: Pick<Invocation, "asking" | "flags">): Promise<BackSecret> {
  if (flags["shares-stdin"] || flags["with-shares"]) return { kind: "shares", shares: await asking.askShares() };
  return { kind: "code", code: await asking.ask(say("recovery-code")) };
}

/** Asks for a folder's own password, or with --with-code or --with-shares for those, where it has one. */
export async function secretFor(
  eremos: Eremos,
  folder: string,
  { asking, flags }: Invocation,
): Promise<FolderSecret | null> {
  const { hasPassword, hint } = folderPasswordOf(eremos, folder, process.cwd());
  return hasPassword ? ownSecret({ asking, flags }, hint) : null;
}

export async function ownSecret(
  { asking, flags }: Pick<Invocation, "asking" | "flags">,
  hint: string | null,
): Promise<FolderSecret> {
  if (isWithoutPassword({ flags })) return backSecret({ asking, flags });
  const password = await asking.ask(say("password-this-folder-2", { noHint: hint === null, hint }));
  // Nothing typed is no try: the owner need not wait after it.
  if (password === "") throw new EremosError("wrong-password", said("no-password-this-folder-was"));
  return { kind: "password", password };
}
