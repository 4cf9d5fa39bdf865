"use client";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import Link from "next/link";
import { type ReactNode, useState } from "react";
import type { FolderView } from "@eremos/server/contract";
import { ClearsChoice } from "@/parts/traces/clears-choice";
import { LookButton, TracesNow } from "@/parts/traces/folder-traces";
import { KeptTraces } from "@/parts/traces/kept-traces";
import { useTraces } from "@/parts/traces/use-traces";
import { api } from "@/lib/api";
import { KEYS, showError, useFolders } from "@/lib/queries";
import { Button } from "@/ui/button";
import { say } from "@eremos/words/page/traces";

/** What lies elsewhere on this desktop and tells of protected folders, of each by itself. */
export function TracesPage(): ReactNode {
  const client = useQueryClient();
  const folders = useFolders() ?? [];
  const [isLooking, setLooking] = useState(false);
  const lookAtAll = async (): Promise<void> => {
    setLooking(true);
    try {
      for (const { id } of folders)
        await client.fetchQuery({ queryKey: KEYS.traces(id), queryFn: () => api.traces(id, true) });
    } catch (error) {
      showError(error);
    } finally {
      setLooking(false);
    }
  };
  return (
    <main className="h-full overflow-y-auto px-6 py-6 lg:px-10">
      <div className="max-w-[820px] pb-10">
        <div className="flex flex-wrap items-start justify-between gap-3">
          <h1 className="text-2xl">{say("traces")}</h1>
          {folders.length > 0 && (
            <Button tone="dusk" disabled={isLooking} onClick={() => void lookAtAll()}>
              {say("look-at-all")}
            </Button>
          )}
        </div>
        <p className="mt-1 mb-5 text-mute">{say("what-traces-are")}</p>
        {folders.length === 0 && <p className="text-sm">{say("nothing-protected-yet")}</p>}
        {folders.length > 0 && (
          <div className="divide-y divide-line rounded-2xl border border-line bg-paper">
            {folders.map((folder) => (
              <OneFolder key={folder.id} folder={folder} />
            ))}
          </div>
        )}
        <h2 className="mt-8 mb-2 text-lg">{say("cleared")}</h2>
        <KeptTraces of={null} />
        <div className="mt-8">
          <ClearsForAll />
        </div>
      </div>
    </main>
  );
}

function OneFolder({ folder }: { readonly folder: FolderView }): ReactNode {
  const traces = useTraces(folder.id);
  return (
    <section aria-labelledby={`of-${folder.id}`} className="px-4 py-2.5">
      <div className="flex flex-wrap items-center justify-between gap-3">
        <h2 id={`of-${folder.id}`} className="min-w-0 font-sans text-[15px] font-semibold">
          <Link href={`/folders/${folder.id}`} className="hover:underline">
            <bdi className="break-words">{folder.name}</bdi>
          </Link>
          <span className="ml-2 text-[13px] font-normal text-mute" aria-live="polite">
            {!traces.found && say("not-looked-yet")}
            {traces.found?.traces.length === 0 && say("no-traces")}
          </span>
        </h2>
        <LookButton traces={traces} />
      </div>
      <TracesNow traces={traces} folder={folder} />
    </section>
  );
}

function ClearsForAll(): ReactNode {
  const client = useQueryClient();
  const settings = useQuery({ queryKey: KEYS.settings, queryFn: api.settings }).data;
  const save = useMutation({
    mutationFn: api.setPreferences,
    onError: showError,
    onSettled: () => client.invalidateQueries({ queryKey: KEYS.settings }),
  });
  if (!settings) return null;
  const { rules } = settings.preferences;
  return (
    <ClearsChoice
      chosen={rules.clears}
      disabled={save.isPending}
      text={say("clear-by-itself-all")}
      onChange={(clears) => save.mutate({ rules: { ...rules, clears: [...clears] } })}
    />
  );
}
