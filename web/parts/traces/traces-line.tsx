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

/** For the Onlooker: how much elsewhere tells of a folder; nothing where nothing does. */
export function TracesLine({ folder: { id, name } }: { readonly folder: Pick<FolderView, "id" | "name"> }): ReactNode {
  const traces = useKnownTraces(id).length;
  if (traces === 0) return null;
  return (
    <Link href={`/folders/${id}#traces`} className="mt-2 block text-[13px] font-medium text-night-ink underline">
      {say("elsewhere-of", { traces, name })}
    </Link>
  );
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
