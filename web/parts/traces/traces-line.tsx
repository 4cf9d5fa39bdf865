"use client";
import { useQuery } from "@tanstack/react-query";
import Link from "next/link";
import type { ReactNode } from "react";
import type { FolderView, TracesView } from "@eremos/server/contract";
import { api } from "@/lib/api";
import { KEYS } from "@/lib/queries";
import { say } from "@eremos/words/page/traces";

/** Each look takes a thread of its own: what was found stays for a while. */
const FRESH_MS = 300_000;

/** What is found by a folder's path alone: quick enough to be looked for beside everything else. */
function useKnownTraces(folder: string): TracesView["traces"] {
  const found = useQuery({
    queryKey: KEYS.knownTraces(folder),
    queryFn: () => api.traces(folder, false),
    staleTime: FRESH_MS,
    retry: false,
  });
  return found.data?.traces ?? [];
}

/** So many folders of a place are looked for at once, and so many of them told of. */
const [MOST_AT_ONCE, MOST_TOLD] = [50, 4];

interface TracesLinesProps {
  readonly folders: readonly FolderView[];
  /** The path of the one that is told of first. */
  readonly first: string | null;
}

/** For the Onlooker: how much elsewhere tells of each folder of a place; nothing where nothing does. */
export function TracesLines({ folders, first }: TracesLinesProps): ReactNode {
  const ids = folders.slice(0, MOST_AT_ONCE).map(({ id }) => id);
  const counts = useQuery({
    queryKey: KEYS.tracesOfMany(ids),
    queryFn: () => api.traceCounts(ids),
    enabled: ids.length > 0,
    staleTime: FRESH_MS,
    retry: false,
  });
  const isFirst = (id: string): boolean => folders.some((folder) => folder.id === id && folder.path === first);
  const told = (counts.data ?? [])
    .filter(({ traces }) => traces > 0)
    .sort((a, b) => Number(isFirst(b.folder)) - Number(isFirst(a.folder)) || b.traces - a.traces);
  return told.slice(0, MOST_TOLD).map(({ folder, traces }) => (
    <Link
      key={folder}
      href={`/folders/${folder}#traces`}
      className="mt-2 block text-[13px] font-medium text-night-ink underline"
    >
      {say("elsewhere-of", { traces, name: folders.find(({ id }) => id === folder)?.name ?? "" })}
    </Link>
  ));
}

/** For who could get at it: how much of its contents lies readable elsewhere. */
export function CopiesLine({ folder }: { readonly folder: string }): ReactNode {
  const copies = useKnownTraces(folder).filter(({ gives }) => gives !== "name").length;
  if (copies === 0) return null;
  return (
    <Link href="#traces" className="mt-3 block text-[13px] font-medium text-night-ink underline">
      {say("copies-elsewhere", { copies })}
    </Link>
  );
}
