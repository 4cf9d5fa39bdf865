"use client";
import { type ReactNode, useState } from "react";
import { toast } from "sonner";
import type { FolderView } from "@eremos/server/contract";
import { Compare } from "@/parts/compare/compare-copy";
import { api } from "@/lib/api";
import { useVerb } from "@/lib/queries";
import { Button } from "@/ui/button";
import { Confirm } from "@/ui/dialog";
import { say } from "@eremos/words/page/folder";

type Fork = FolderView["forks"][number];

/**
 * For a folder in a synced directory that two computers locked at once: both states are kept until the person has
 * merged them.
 */
export function Forks({ folder }: { readonly folder: FolderView }): ReactNode {
  const letGo = useVerb(async (name: string) => {
    await api.letForkGo(folder.id, name);
    toast.success(say("other-state-is-let-go"));
  });
  const [asked, setAsked] = useState<Fork | null>(null);
  const forks = folder.forks.filter(({ isNewer }) => !isNewer);
  if (forks.length === 0) return null;
  return (
    <section aria-labelledby="forks">
      <h2 id="forks" className="text-lg">
        {say("locked-on-two-computers-at")}
      </h2>
      <p className="mt-1 text-sm text-mute">{say("program-that-keeps-this-folder")}</p>
      <ul className="mt-2 divide-y divide-line rounded-xl border border-ochre/50 bg-ochre-soft text-sm">
        {forks.map((fork) => (
          <li key={fork.name} className="flex flex-wrap items-center gap-3 px-4 py-2.5">
            <span className="min-w-0 flex-1 truncate" title={fork.name}>
              {say("other-computers-state", { generation: fork.generation })}
            </span>
            {isArriving(fork) ? (
              <span className="text-mute">{say("still-arriving-pieces-are-here", arrivalOf(fork))}</span>
            ) : folder.state === "locked" ? (
              <Compare title={say("locked-on-two-computers-at")} path={folder.realPath} fork={fork.name} />
            ) : (
              <span className="text-mute">{say("lock-it-compare")}</span>
            )}
            <Button size="small" disabled={letGo.pending || folder.state !== "locked"} onClick={() => setAsked(fork)}>
              {say("it-is-not-needed-any")}
            </Button>
          </li>
        ))}
      </ul>
      <Confirm
        open={asked !== null}
        onOpenChange={() => setAsked(null)}
        title={say("let-the-other-state-go", { generation: asked?.generation ?? 0 })}
        tone="oxblood"
        action={say("let-it-go")}
        onConfirm={() => asked && letGo.run(asked.name)}
      >
        <p>{say("what-only-it-has-is-gone")}</p>
        {asked && isArriving(asked) && <p>{say("it-is-still-arriving", arrivalOf(asked))}</p>}
      </Confirm>
    </section>
  );
}

function isArriving({ arrival: { arrived, pieces } }: Fork): boolean {
  return arrived < pieces || pieces === 0;
}

function arrivalOf({ arrival: { arrived, pieces } }: Fork): { hasPieces: boolean; arrived: number; pieces: number } {
  return { hasPieces: pieces > 0, arrived, pieces };
}
