import { fromSystemError } from "../errors/eremos-error";
import type { Disk } from "../platform/port";
import { findBookmarks } from "./kinds/bookmarks";
import { findInEditors } from "./kinds/editors";
import { findInOffice } from "./kinds/office";
import { findRecent } from "./kinds/recent";
import { findInShells } from "./kinds/shell";
import { findThumbnails } from "./kinds/thumbnails";
import { findTrashed } from "./kinds/trashed";
import { TRACE_KINDS, type TraceKind } from "../format/choices";
import type { SealedInput } from "../engine/contents";
import { findCopies } from "./kinds/copies";
import { findExports } from "./kinds/exports";
import { findIndexes, findMetadata } from "./kinds/databases";
import { type Inside, lookInside } from "./inside";
import { findLeftovers, isLeftOf } from "./kinds/leftovers";
import { findPrograms } from "./kinds/programs";
import { SHORTEST_NAME } from "./kinds/shell";
import { findInSnapshots } from "./kinds/snapshots";
import { findTemporary } from "./kinds/temporary";
import { trashesOf } from "./kinds/trashed";
import { lookalikesUnder } from "./walk";
import {
  type Finder,
  type FoundTrace,
  type KnownInside,
  type Lookalike,
  type Trace,
  type TraceHome,
  type TraceTrouble,
  isOf,
  traceId,
} from "./trace";
import { said } from "@eremos/words/core/traces";

const FINDERS: Readonly<Record<TraceKind, Finder>> = {
  recent: findRecent,
  thumbnails: findThumbnails,
  trash: findTrashed,
  bookmarks: findBookmarks,
  shell: findInShells,
  editors: findInEditors,
  office: findInOffice,
  metadata: findMetadata,
  indexes: findIndexes,
  temporary: findTemporary,
  copies: findCopies,
  leftovers: findLeftovers,
  snapshots: findInSnapshots,
  programs: findPrograms,
  exports: findExports,
};

export interface TracesInput {
  readonly home: TraceHome;
  /** The folder's ordinary path. */
  readonly folder: Buffer;
  /** By which copies of what is in a sealed folder are looked for, and where; null: they are not. */
  readonly inside: (SealedInput & { readonly places: readonly Buffer[] }) | null;
}

export interface FoundTraces {
  readonly traces: readonly Trace[];
  readonly troubles: readonly TraceTrouble[];
  /** Programs that run now and write what they remember back when they end, of the kinds that were found. */
  readonly writers: readonly TraceWriter[];
}

interface TraceWriter {
  readonly kind: TraceKind;
  readonly program: string;
}

/** Programs that hold a list of that kind in memory. */
const WRITERS: Readonly<Partial<Record<TraceKind, readonly string[]>>> = {
  shell: ["bash", "zsh", "fish"],
  editors: ["vim", "vim.tiny", "vim.basic", "nvim", "nano"],
  office: ["soffice.bin"],
};

/** A trace, where it stands. */
export type LocatedTrace = FoundTrace & Pick<Trace, "id">;

/** Looks for a folder's traces. Reads only. A kind that can't be looked for is told of, and keeps no other from it. */
export async function findTraces(disk: Disk, input: TracesInput): Promise<FoundTraces> {
  const { traces, troubles } = await locateTraces(disk, input);
  return {
    traces: traces.map(({ spot, ...trace }) => ({ ...trace, clearable: spot !== null })),
    troubles,
    writers: writersOf(disk, new Set(traces.map(({ kind }) => kind))),
  };
}

export interface CountInput {
  readonly home: TraceHome;
  /** The folders' ordinary paths. */
  readonly folders: readonly Buffer[];
}

/** How many traces each of several folders has, by its path alone; in their order. Reads only. */
export function countTraces(disk: Disk, { home, folders }: CountInput): readonly number[] {
  return folders.map((folder) => locateAll(disk, { home, folder, inside: null }, null, []).length);
}

function writersOf(disk: Disk, kinds: ReadonlySet<TraceKind>): TraceWriter[] {
  const running = new Set(kinds.size > 0 ? disk.programs() : []);
  return [...kinds].flatMap((kind) =>
    (WRITERS[kind] ?? []).filter((program) => running.has(program)).map((program) => ({ kind, program })),
  );
}

/** The same, with what would go with each. */
export async function locateTraces(disk: Disk, input: TracesInput): Promise<LocatedTraces> {
  const troubles: TraceTrouble[] = [];
  const inside = await insideOrTrouble(disk, input, troubles);
  try {
    return { traces: locateAll(disk, input, inside && knownInside(disk, input, inside), troubles), troubles };
  } finally {
    inside?.close();
  }
}

export interface LocatedTraces {
  readonly traces: readonly LocatedTrace[];
  readonly troubles: readonly TraceTrouble[];
}

async function insideOrTrouble(
  disk: Disk,
  { inside, folder }: TracesInput,
  troubles: TraceTrouble[],
): Promise<Inside | null> {
  if (!inside) return null;
  try {
    return await lookInside(disk, inside);
  } catch (error) {
    const reason = fromSystemError(error, said("looking-for-traces")).message;
    troubles.push({ kind: "copies", where: folder, reason });
    return null;
  }
}

function knownInside(disk: Disk, { home, folder, inside: input }: TracesInput, inside: Inside): KnownInside {
  const besides = [folder, ...(input ? [input.path] : [])];
  const look = (roots: readonly Buffer[], isNamed: (name: Buffer) => boolean): (() => readonly Lookalike[]) => {
    let found: readonly Lookalike[] | null = null;
    return () => (found ??= lookalikesUnder(disk, { roots, besides, inside, isNamed, uid: home.uid }));
  };
  const { names } = inside;
  return {
    names,
    inPlaces: look([...(input?.places ?? []), ...trashesOf(home)], (name) => isLeftOf(name, names)),
    inTemporary: look(home.temporary, (name) => name.length >= SHORTEST_NAME && names.has(name.toString("latin1"))),
  };
}

function locateAll(
  disk: Disk,
  { home, folder }: TracesInput,
  inside: KnownInside | null,
  troubles: TraceTrouble[],
): LocatedTrace[] {
  const traces: LocatedTrace[] = [];
  /** What is found by its contents may have been found by its name. */
  const isKnown = ({ where, kind }: FoundTrace): boolean =>
    (kind === "copies" || kind === "leftovers") && traces.some((known) => isOf(known.where, where));
  const ids = new Set<string>();
  const idOf = (trace: FoundTrace): string => {
    for (let nth = 0; ; nth++) {
      const id = traceId(trace, nth);
      if (!ids.has(id)) {
        ids.add(id);
        return id;
      }
    }
  };
  for (const kind of TRACE_KINDS) {
    const trouble = (where: Buffer, reason: string): void => void troubles.push({ kind, where, reason });
    try {
      FINDERS[kind]({
        disk,
        home,
        folder,
        trouble,
        inside,
        found: (trace) => isKnown(trace) || void traces.push({ id: idOf(trace), ...trace }),
      });
    } catch (error) {
      trouble(home.home, fromSystemError(error, said("looking-for-traces")).message);
    }
  }
  return traces;
}
