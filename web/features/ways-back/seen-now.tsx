"use client";
import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import type { FolderView, InterruptionView, SettingsView } from "@eremos/server/contract";
import { api } from "@/lib/api";
import { KEYS } from "@/lib/queries";
import { Button } from "@/ui/button";
import { say } from "@eremos/words/page/ways-back";

/** The symptoms that something seen may lead to. */
export type SymptomId =
  "master" | "known" | "own" | "lost" | "moved" | "hidden" | "gone" | "cut" | "damaged" | "permission";

interface Sight {
  readonly text: string;
  readonly leadsTo: SymptomId | "practice";
}

/** What Eremos has seen by itself, without being asked: from the disk, the list and the last checks. */
export function SeenNow({
  folders,
  onSymptom,
}: {
  readonly folders: readonly FolderView[];
  readonly onSymptom: (symptom: SymptomId) => void;
}): ReactNode {
  const interruptions = useQuery({ queryKey: KEYS.interruptions, queryFn: api.interruptions }).data ?? [];
  const behind = useQuery({ queryKey: KEYS.settings, queryFn: api.settings }).data?.behind ?? [];
  const sights = sightsOf(folders, interruptions, behind);
  if (folders.length === 0 && sights.length === 0) return null;
  return (
    <section aria-labelledby="seen-now" className="mb-5 rounded-2xl border border-line bg-sheet px-5 py-4">
      <h2 id="seen-now" className="text-base">
        {say("what-eremos-sees-now")}
      </h2>
      {sights.length === 0 ? (
        <p className="mt-1 text-sm text-mute">{say("all-folders-are-at-their", { folders: folders.length })}</p>
      ) : (
        <ul className="mt-1 divide-y divide-line/70 text-sm">
          {sights.map(({ text, leadsTo }) => (
            <li key={text} className="flex items-center gap-4 py-2">
              <span className="min-w-0 flex-1">{text}</span>
              {leadsTo === "practice" ? (
                <a href="#practice" className="font-medium text-dusk underline underline-offset-4">
                  {say("try-it")}
                </a>
              ) : (
                <Button size="small" onClick={() => onSymptom(leadsTo)}>
                  {say("what-do")}
                </Button>
              )}
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}

function sightsOf(
  folders: readonly FolderView[],
  interruptions: readonly InterruptionView[],
  behind: SettingsView["behind"],
): Sight[] {
  const named = (some: readonly { readonly name: string }[]): string => some.map(({ name }) => name).join(", ");
  const sights: Sight[] = [];
  const see = (
    some: readonly { readonly name: string }[],
    words: (names: string, count: number) => string,
    leadsTo: Sight["leadsTo"],
  ): void => {
    if (some.length > 0) sights.push({ text: words(named(some), some.length), leadsTo });
  };
  see(
    folders.filter(({ state }) => state === "missing"),
    (names, number) => say("not-at-their-places", { number, names }),
    "moved",
  );
  see(
    [...interruptions, ...folders.filter(({ state }) => state === "interrupted" || state === "partly")],
    (names) => say("cut-off-in-middle", { names }),
    "cut",
  );
  see(
    folders.filter(({ state, lastCheck }) => state === "damaged" || lastCheck?.ok === false),
    (names) => say("damaged", { names }),
    "damaged",
  );
  see(behind, (names) => say("opened-by-what-opened-it", { names }), "master");
  see(
    folders.filter(({ waysBack }) => waysBack?.codeProvenAt === null),
    (names, number) =>
      say("recovery-code-was-not-tried", { number: number === 1 ? names : say("folders", { number, names }) }),
    "practice",
  );
  return sights;
}
