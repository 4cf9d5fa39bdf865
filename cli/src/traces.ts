import { EremosError, TRACE_KINDS } from "@eremos/core";
import {
  type ClearedView,
  type Eremos,
  type TraceKind,
  type TracesView,
  clearTraces,
  clearedView,
  keptTraces,
  listFolders,
  putTracesBack,
  tracesOf,
} from "@eremos/server";
import { EXIT_CODES } from "./exit-codes";
import { type Command, type Invocation, only, openGate, withEremos } from "./invocation";
import { passesOf } from "./overwrite";
import { finish } from "./work";
import { said, say } from "@eremos/words/cli";

/** Of one folder, or of all, one after the other: found, cleared, or put back. */
export const tracesCommand: Command<"traces"> = async (invocation) => {
  only(invocation, "password-stdin", "clear", "undo", "passes");
  if (invocation.words.length > 1) throw new EremosError("usage", said("this-command-takes-one-path"));
  const kinds = kindsOf(invocation);
  if (kinds !== undefined && invocation.flags["undo"] === true) throw new EremosError("usage", said("clear-or-undo"));
  const passes = invocation.flags["passes"] === undefined ? 0 : passesOf(invocation);
  if (passes > 0 && kinds === undefined) throw new EremosError("usage", said("passes-belong-to-clear"));
  return withEremos(invocation, async (eremos) => {
    await openGate(eremos, invocation);
    const [asked] = invocation.words;
    const folders = await foldersAsked(eremos, asked);
    const done = { ...NOTHING_DONE };
    if (kinds !== undefined)
      for (const folder of folders) {
        const job = await clearTraces(eremos, folder, process.cwd(), {
          ids: null,
          kinds,
          onlySure: kinds === null,
          // What is written over can't be put back.
          keep: passes === 0,
          byInside: kinds !== null,
          overwrite: passes,
        });
        const { cleared, left } = clearedView(await finish(eremos, job));
        done.cleared = (done.cleared ?? 0) + cleared;
        done.left = [...done.left, ...left];
      }
    if (invocation.flags["undo"] === true) Object.assign(done, await undo(eremos, asked));
    const result = { ...(await foundIn(eremos, folders)), ...done };
    return { result, lines: linesOf(result), exitCode: done.left.length > 0 ? EXIT_CODES.failed : 0 };
  });
};

interface Done {
  cleared: number | null;
  back: number | null;
  left: ClearedView["left"];
}
const NOTHING_DONE: Done = { cleared: null, back: null, left: [] };

/** By id. */
async function foldersAsked(eremos: Eremos, asked: string | undefined): Promise<readonly string[]> {
  return asked === undefined ? (await listFolders(eremos)).map(({ id }) => id) : [asked];
}

async function foundIn(eremos: Eremos, folders: readonly string[]): Promise<TracesView> {
  const found = [];
  for (const folder of folders) found.push(await tracesOf(eremos, folder, process.cwd(), true));
  return {
    traces: found.flatMap(({ traces }) => traces),
    troubles: found.flatMap(({ troubles }) => troubles),
    writers: [...new Map(found.flatMap(({ writers }) => writers).map((one) => [one.program, one])).values()],
  };
}

/** What was cleared last, of the folder if one is named. */
async function undo(eremos: Eremos, asked: string | undefined): Promise<Partial<Done>> {
  const [last] = await keptTraces(eremos, asked === undefined ? null : { pathOrId: asked, from: process.cwd() });
  if (!last) throw new EremosError("not-found", said("nothing-was-cleared"));
  return putTracesBack(eremos, last.id);
}

/** Undefined: nothing is to be cleared; null: all. @throws EremosError `usage` */
function kindsOf({ flags }: Invocation): readonly TraceKind[] | null | undefined {
  const given = flags["clear"];
  if (!Array.isArray(given)) return undefined;
  if (given.includes("all")) return null;
  const unknown = given.find((kind) => !isTraceKind(kind));
  if (unknown !== undefined)
    throw new EremosError("usage", said("clear-takes", { kinds: TRACE_KINDS.join(", "), unknown: String(unknown) }));
  return given.filter(isTraceKind);
}

function isTraceKind(word: unknown): word is TraceKind {
  return (TRACE_KINDS as readonly unknown[]).includes(word);
}

function linesOf({ traces, troubles, writers, cleared, back, left }: TracesView & Done): string[] {
  return [
    ...(cleared === null ? [] : [say("so-many-cleared", { cleared })]),
    ...(back === null ? [] : [say("so-many-back", { back })]),
    ...left.map(({ where, reason }) => `${where}: ${reason}`),
    say("so-many-traces", { traces: traces.length }),
    ...traces.flatMap(({ kind, where, what, gives }) => [
      say("trace-in", { kind, gives, where }),
      ...what
        .trimEnd()
        .split("\n")
        .map((line) => `    ${line}`),
    ]),
    ...troubles.map(({ where, reason }) => `${where}: ${reason}`),
    ...writers.map(({ program }) => say("writes-it-back", { program })),
  ];
}
