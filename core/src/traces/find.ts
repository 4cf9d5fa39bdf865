import { fromSystemError } from "../errors/eremos-error";
import type { Disk } from "../platform/port";
import { findBookmarks } from "./bookmarks";
import { findInEditors } from "./editors";
import { findInOffice } from "./office";
import { findRecent } from "./recent";
import { findInShells } from "./shell";
import { findThumbnails } from "./thumbnails";
import { findTrashed } from "./trashed";
import { TRACE_KINDS, type TraceKind } from "../format/choices";
import { type Finder, type FoundTrace, type Trace, type TraceHome, type TraceTrouble, traceId } from "./trace";
import { said } from "@eremos/words/core/traces";

const FINDERS: Readonly<Record<TraceKind, Finder>> = {
  recent: findRecent,
  thumbnails: findThumbnails,
  trash: findTrashed,
  bookmarks: findBookmarks,
  shell: findInShells,
  editors: findInEditors,
  office: findInOffice,
};

export interface TracesInput {
  readonly home: TraceHome;
  /** The folder's ordinary path. */
  readonly folder: Buffer;
}

export interface FoundTraces {
  readonly traces: readonly Trace[];
  readonly troubles: readonly TraceTrouble[];
  /** Programs that run now and write what they remember back when they end, of the kinds that were found. */
  readonly writers: readonly TraceWriter[];
}

export interface TraceWriter {
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
export function findTraces(disk: Disk, input: TracesInput): FoundTraces {
  const { traces, troubles } = locateTraces(disk, input);
  return {
    traces: traces.map(({ spot, ...trace }) => ({ ...trace, clearable: spot !== null })),
    troubles,
    writers: writersOf(disk, new Set(traces.map(({ kind }) => kind))),
  };
}

function writersOf(disk: Disk, kinds: ReadonlySet<TraceKind>): TraceWriter[] {
  const running = new Set(kinds.size > 0 ? disk.programs() : []);
  return [...kinds].flatMap((kind) =>
    (WRITERS[kind] ?? []).filter((program) => running.has(program)).map((program) => ({ kind, program })),
  );
}

/** The same, with what would go with each. */
export function locateTraces(
  disk: Disk,
  { home, folder }: TracesInput,
): { readonly traces: readonly LocatedTrace[]; readonly troubles: readonly TraceTrouble[] } {
  const traces: LocatedTrace[] = [];
  const troubles: TraceTrouble[] = [];
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
        found: (trace) => void traces.push({ id: idOf(trace), ...trace }),
      });
    } catch (error) {
      trouble(home.home, fromSystemError(error, said("looking-for-traces")).message);
    }
  }
  return { traces, troubles };
}
