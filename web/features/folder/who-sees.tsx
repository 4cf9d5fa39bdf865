"use client";
import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import type { FolderView, OnlookerKind } from "@eremos/server/contract";
import { api } from "@/lib/api";
import { parentOf } from "@/lib/format";
import { KEYS } from "@/lib/queries";

const WHO: Readonly<Record<OnlookerKind, string>> = {
  keyboard: "Somebody at this keyboard",
  "keyboard-hidden-shown": "…who shows hidden files",
  disk: "Somebody holding the disk",
};

/** What each kind of somebody sees of this folder, from the disk. */
export function WhoSees({ folder }: { readonly folder: FolderView }): ReactNode {
  const place = parentOf(folder.path);
  const seen = useQuery({ queryKey: KEYS.onlooker(place, folder.name), queryFn: () => api.onlooker(place, folder.name), staleTime: 0, retry: false });
  return (
    <section aria-labelledby="who-sees" className="night rounded-2xl bg-night p-5 text-night-ink">
      <h2 id="who-sees" className="text-lg">Who sees what</h2>
      <p className="text-[13px] text-night-mute">Read from the disk just now.</p>
      <dl className="mt-3 divide-y divide-night-line">
        {seen.data?.kinds.map((view) => (
          <div key={view.kind} className="grid gap-1 py-3 sm:grid-cols-[190px_minmax(0,1fr)]">
            <dt className="text-sm font-semibold">{WHO[view.kind]}</dt>
            <dd><p className="text-sm">{view.verdict}</p><p className="mt-0.5 text-[13px] text-night-mute">{view.facts.slice(view.kind === "disk" ? 1 : 0).join(" ")}</p></dd>
          </div>
        ))}
      </dl>
      {seen.error && <p className="mt-3 text-sm text-night-mute">{seen.error.message}</p>}
    </section>
  );
}
