"use client";
import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import type { MediumView } from "@eremos/server/contract";
import { api } from "@/lib/api";
import { cn } from "@/lib/cn";
import { KEYS } from "@/lib/queries";
import { say } from "@eremos/words/page/removing";

const IS_REACHED: ReadonlySet<MediumView["contents"]> = new Set(["reached", "on-no-disk"]);

/** What overwriting reaches on the disk that a path lies on, said before the choice. */
export function MediumTruth({ path }: { readonly path: string }): ReactNode {
  const medium = useQuery({ queryKey: KEYS.medium(path), queryFn: () => api.medium(path) }).data;
  return (
    <section
      aria-label={say("on-this-disk")}
      aria-busy={!medium}
      className={cn(
        "min-h-16 rounded-xl border px-4 py-3 text-sm",
        medium && !IS_REACHED.has(medium.contents)
          ? "border-ochre/50 bg-ochre-soft text-ochre"
          : "border-line bg-sheet",
      )}
    >
      {medium && (
        <>
          <p>{medium.verdict}</p>
          <More title={say("why")} lines={medium.because} />
          <More title={say("what-does-help")} lines={medium.helps} />
        </>
      )}
    </section>
  );
}

function More({ title, lines }: { readonly title: string; readonly lines: readonly string[] }): ReactNode {
  if (lines.length === 0) return null;
  return (
    <details className="mt-1.5">
      <summary className="cursor-pointer font-medium">{title}</summary>
      <ul className="mt-1 list-disc space-y-1 pl-5">
        {lines.map((line) => (
          <li key={line} className="break-words">
            {line}
          </li>
        ))}
      </ul>
    </details>
  );
}
