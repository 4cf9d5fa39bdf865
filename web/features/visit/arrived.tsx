"use client";
import { useQuery } from "@tanstack/react-query";
import { Inbox } from "lucide-react";
import { type ReactNode, useState } from "react";
import type { useChange } from "./use-visit";
import { api } from "@/lib/api";
import { formatBytes } from "@/lib/format";
import { KEYS } from "@/lib/queries";
import { Button } from "@/ui/button";
import { Confirm } from "@/ui/dialog";
import { Time } from "@/ui/time";
import { say } from "@eremos/words/page/visit";

interface ArrivedProps {
  readonly folder: string;
  readonly drops: number;
  readonly change: ReturnType<typeof useChange>;
}

/**
 * What was put in while the folder was locked: shown before it is merged. Whoever put it there chose names and
 * contents.
 */
export function Arrived({ folder, drops, change }: ArrivedProps): ReactNode {
  const { data } = useQuery({
    queryKey: [...KEYS.visit(folder), "arrivals", drops],
    queryFn: () => api.visit(folder, { kind: "arrivals" }),
    staleTime: 0,
  });
  const [asking, setAsking] = useState(false);
  const entries = data?.entries ?? [];
  if (entries.length === 0) return null;
  const ids = entries.map(({ href }) => href);
  return (
    <section aria-label={say("put-in-while-it-was")} className="border-b border-line bg-ochre-soft px-6 py-3 text-sm">
      <div className="flex flex-wrap items-center gap-3">
        <Inbox className="size-5 text-ochre" aria-hidden />
        <p className="min-w-0 flex-1 font-medium">{say("files-were-put-in-while", { entries: entries.length })}</p>
        <Button size="small" tone="dusk" disabled={change.pending} onClick={() => change.run({ kind: "take-in", ids })}>
          {say("take-them-in", { entries: entries.length })}
        </Button>
        <Button size="small" tone="oxblood" disabled={change.pending} onClick={() => setAsking(true)}>
          {say("discard")}
        </Button>
      </div>
      <ul className="mt-2 max-h-32 overflow-y-auto">
        {entries.map((entry) => (
          <li key={entry.href} className="flex gap-4 py-0.5 text-[13px]">
            <span className="min-w-0 flex-1 truncate" title={entry.name}>
              {entry.name}
            </span>
            <span className="text-mute tabular-nums">{formatBytes(entry.size)}</span>
            <span className="w-28 text-mute">
              <Time at={entry.modifiedAt} />
            </span>
          </li>
        ))}
      </ul>
      <Confirm
        open={asking}
        onOpenChange={setAsking}
        title={say("discard-files", { entries: entries.length })}
        action={say("discard-2")}
        tone="oxblood"
        onConfirm={() => change.run({ kind: "discard", ids })}
      >
        <p>{say("what-arrived-is-deleted-and")}</p>
      </Confirm>
    </section>
  );
}
