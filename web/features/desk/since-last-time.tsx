"use client";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { History, X } from "lucide-react";
import Link from "next/link";
import type { ReactNode } from "react";
import { api } from "@/lib/api";
import { cn } from "@/lib/cn";
import { ago } from "@/lib/format";
import { KEYS } from "@/lib/queries";
import { say } from "@eremos/words/page/activity";

/** What matters of what happened since its owner was last here; nothing, where nothing does. */
export function SinceLastTime(): ReactNode {
  const client = useQueryClient();
  // What happens from now on, its owner sees happen.
  const view = useQuery({ queryKey: KEYS.sinceLastTime, queryFn: api.sinceLastTime, staleTime: Infinity }).data;
  if (!view || view.since === null || view.lines.length === 0) return null;
  const { since, lines } = view;
  const see = (): unknown => client.setQueryData(KEYS.sinceLastTime, { ...view, lines: [] });
  return (
    <section
      aria-labelledby="since-last-time"
      className="mt-2 mb-3 rounded-xl border border-line bg-sheet px-4 py-3 text-sm"
    >
      <div className="flex items-center gap-2">
        <History className="size-4 shrink-0 text-mute" aria-hidden />
        <h3 id="since-last-time" className="min-w-0 flex-1 font-sans text-[13px] font-normal tracking-normal text-mute">
          {say("since-last-time", { ago: ago(since) })}
        </h3>
        <button
          type="button"
          onClick={see}
          aria-label={say("since-gone")}
          title={say("since-gone")}
          className="-my-1 grid size-8 place-items-center rounded-md text-mute hover:bg-sand hover:text-ink"
        >
          <X className="size-4" aria-hidden />
        </button>
      </div>
      <ul className="mt-1 space-y-0.5">
        {lines.map(({ text, isWarning, folder }) => (
          <li key={text} className={cn("break-words", isWarning && "font-semibold text-ochre")}>
            {folder === "" ? (
              text
            ) : (
              <Link href={`/folders/${folder}`} className="hover:underline">
                {text}
              </Link>
            )}
          </li>
        ))}
      </ul>
      <Link href="/activity" className="mt-1.5 inline-block text-[13px] font-medium text-dusk hover:underline">
        {say("since-see")}
      </Link>
    </section>
  );
}
