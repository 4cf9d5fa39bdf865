"use client";
import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import type { FolderView, TracesView } from "@eremos/server/contract";
import { Button } from "@/ui/button";
import { Trouble } from "@/ui/trouble";
import { api } from "@/lib/api";
import { say } from "@eremos/words/page/folder";

type Kind = TracesView["traces"][number]["kind"];

/** What each kind is called, and how it is cleared. */
const KIND_WORDS: Readonly<Record<Kind, { readonly name: string; readonly clear: string }>> = {
  recent: { name: say("trace-recent"), clear: say("clear-recent") },
  thumbnails: { name: say("trace-thumbnails"), clear: say("clear-thumbnails") },
  trash: { name: say("trace-trash"), clear: say("clear-trash") },
  bookmarks: { name: say("trace-bookmarks"), clear: say("clear-bookmarks") },
  editors: { name: say("trace-editors"), clear: say("clear-editors") },
  office: { name: say("trace-office"), clear: say("clear-office") },
  shell: { name: say("trace-shell"), clear: say("clear-shell") },
};

/** What lies elsewhere on this desktop and goes on telling of it while it is locked. */
export function Traces({ folder }: { readonly folder: FolderView }): ReactNode {
  // Only when it is asked for: it reads what all programs of the desktop keep.
  const found = useQuery({ queryKey: ["traces", folder.id], queryFn: () => api.traces(folder.id), enabled: false });
  return (
    <section aria-labelledby="traces">
      <h2 id="traces" className="text-lg">
        {say("traces")}
      </h2>
      <div className="mt-1 mb-2 flex flex-wrap items-center justify-between gap-3">
        <p className="min-w-0 flex-1 text-sm text-mute">{say("traces-are")}</p>
        <Button size="small" disabled={found.isFetching} onClick={() => void found.refetch()}>
          {found.data ? say("look-again") : say("look-for-traces")}
        </Button>
      </div>
      {found.error && <Trouble words={found.error.message} />}
      {found.data && <Found found={found.data} />}
    </section>
  );
}

function Found({ found: { traces, troubles } }: { readonly found: TracesView }): ReactNode {
  const kinds = (Object.keys(KIND_WORDS) as Kind[]).filter((kind) => traces.some((trace) => trace.kind === kind));
  return (
    <div className="space-y-3" aria-live="polite">
      <p className="text-[15px] font-medium">{say("so-many-traces", { traces: traces.length })}</p>
      {kinds.map((kind) => (
        <KindOf key={kind} kind={kind} traces={traces.filter((trace) => trace.kind === kind)} />
      ))}
      {troubles.map(({ where, reason }) => (
        <Trouble key={where} words={`${where}: ${reason}`} />
      ))}
    </div>
  );
}

interface KindOfProps {
  readonly kind: Kind;
  readonly traces: TracesView["traces"];
}

function KindOf({ kind, traces }: KindOfProps): ReactNode {
  const { name, clear } = KIND_WORDS[kind];
  return (
    <details className="rounded-xl border border-line bg-sheet">
      <summary className="cursor-pointer px-4 py-2.5 text-sm">
        <span className="font-semibold">{name}</span>{" "}
        <span className="text-mute">
          {say("gives-away", { count: traces.length, gives: traces[0]?.gives ?? "name" })}
        </span>
      </summary>
      <p className="px-4 pb-2 text-[13px] text-mute">{clear}</p>
      <ul className="max-h-72 divide-y divide-line overflow-y-auto border-t border-line text-[13px]">
        {traces.map(({ id, what, where }) => (
          <li key={id} className="px-4 py-2">
            <bdi className="block font-mono break-words whitespace-pre-wrap">{what.trimEnd()}</bdi>
            <bdi className="block break-words text-mute">{where}</bdi>
          </li>
        ))}
      </ul>
    </details>
  );
}
