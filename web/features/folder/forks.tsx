"use client";
import type { ReactNode } from "react";
import { toast } from "sonner";
import type { FolderView } from "@eremos/server/contract";
import { Compare } from "@/parts/compare/compare-copy";
import { api } from "@/lib/api";
import { useVerb } from "@/lib/queries";
import { Button } from "@/ui/button";

/**
 * For a folder in a synced directory that two computers locked at once: both states are kept until the person has
 * merged them.
 */
export function Forks({ folder }: { readonly folder: FolderView }): ReactNode {
  const letGo = useVerb(async (name: string) => {
    await api.letForkGo(folder.id, name);
    toast.success("The other state is let go.");
  });
  const forks = folder.forks.filter(({ isNewer }) => !isNewer);
  if (forks.length === 0) return null;
  return (
    <section aria-labelledby="forks">
      <h2 id="forks" className="text-lg">
        Locked on two computers at once
      </h2>
      <p className="mt-1 text-sm text-mute">
        A program that keeps this folder in step between computers found it locked on both, and kept the other
        computer&rsquo;s state beside this one. Nothing of either is lost, and nothing is removed before you say so.
      </p>
      <ul className="mt-2 divide-y divide-line rounded-xl border border-ochre/50 bg-ochre-soft text-sm">
        {forks.map(({ name, generation, arrival: { arrived, pieces } }) => (
          <li key={name} className="flex flex-wrap items-center gap-3 px-4 py-2.5">
            <span className="min-w-0 flex-1 truncate" title={name}>
              The other computer&rsquo;s state {generation}
            </span>
            {arrived < pieces || pieces === 0 ? (
              <span className="text-mute">
                Still arriving{pieces > 0 && `: ${arrived} of ${pieces} pieces are here`}
              </span>
            ) : folder.state === "locked" ? (
              <Compare title="Locked on two computers at once" path={folder.realPath} fork={name} />
            ) : (
              <span className="text-mute">Lock it to compare.</span>
            )}
            <Button size="small" disabled={letGo.pending || folder.state !== "locked"} onClick={() => letGo.run(name)}>
              It is not needed any more
            </Button>
          </li>
        ))}
      </ul>
    </section>
  );
}
