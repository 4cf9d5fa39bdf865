"use client";
import { isEncrypting } from "@eremos/core/guards";
import { Trash2 } from "lucide-react";
import type { ReactNode } from "react";
import { useActs } from "@/parts/folders/acts-provider";
import { Button } from "@/ui/button";
import { Time } from "@/ui/time";
import { useRemoved } from "@/lib/queries";
import { say } from "@eremos/words/page/removing";

/** What can come back, and for how long; nothing where there is none. */
export function Trash(): ReactNode {
  const removed = useRemoved();
  const { run, pending } = useActs();
  if (removed.length === 0) return null;
  return (
    <details className="mt-4 rounded-xl border border-line bg-sheet">
      <summary className="flex cursor-pointer items-center gap-2 px-4 py-2.5 text-sm font-medium">
        <Trash2 className="size-4 text-mute" aria-hidden />
        {say("in-the-trash", { count: removed.length })}
      </summary>
      <ul
        className="divide-y divide-line/70 border-t border-line"
        aria-label={say("in-the-trash", { count: removed.length })}
      >
        {removed.map((folder) => (
          <li
            key={folder.id}
            className="flex flex-wrap items-center justify-between gap-x-4 gap-y-2 px-4 py-2.5 text-sm"
          >
            <span className="min-w-0">
              <bdi className="font-medium break-words">{folder.name}</bdi>
              <span className="block text-[13px] text-mute">
                {say("can-come-back", { days: folder.removed?.daysLeft ?? 0 })}
                {!isEncrypting(folder) && ` · ${say("not-encrypted")}`} · {say("put-in")}{" "}
                <Time at={folder.removed?.at ?? 0} />
              </span>
            </span>
            <span className="flex gap-2">
              <Button size="small" tone="dusk" disabled={pending} onClick={() => run("put-back", [folder])}>
                {say("put-back")}
              </Button>
              <Button size="small" disabled={pending} onClick={() => run("remove", [folder])}>
                {say("remove-now")}
              </Button>
            </span>
          </li>
        ))}
      </ul>
    </details>
  );
}
