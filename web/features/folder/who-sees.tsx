"use client";
import { useQuery } from "@tanstack/react-query";
import { Check, CircleDashed, X } from "lucide-react";
import { Tooltip } from "radix-ui";
import type { ReactNode } from "react";
import type { FolderView, ReachCell, ReachKind, ReachView } from "@eremos/server/contract";
import { CopiesLine } from "@/parts/traces/traces-line";
import { api } from "@/lib/api";
import { KEYS } from "@/lib/queries";
import { say } from "@eremos/words/page/folder";

const WHO: Readonly<Record<ReachKind, string>> = {
  keyboard: say("at-this-keyboard"),
  "keyboard-hidden-shown": say("with-hidden-files-shown"),
  account: say("another-account-here"),
  administrator: say("administrator"),
  disk: say("somebody-holding-disk"),
  provider: say("provider-synced-directory"),
};

const COLUMNS = [
  ["exists", say("sees-it")],
  ["names", say("names-in-it")],
  ["reads", say("reads")],
  ["changes", say("changes")],
  ["deletes", say("deletes")],
] as const;

/** Who could get how far: a row for each kind of somebody, each answer with its reason. */
export function WhoSees({ folder }: { readonly folder: FolderView }): ReactNode {
  const seen = useQuery({
    queryKey: KEYS.reach(folder.id),
    queryFn: () => api.reach(folder.id),
    staleTime: 0,
    retry: false,
  });
  return (
    <section aria-labelledby="who-sees" className="night rounded-2xl bg-night p-5 text-night-ink">
      <h2 id="who-sees" className="text-lg">
        {say("who-could-get-at-it")}
      </h2>
      <p className="text-[13px] text-night-mute">{say("from-disk-its-permissions-and")}</p>
      {seen.data && <Table rows={seen.data} />}
      <CopiesLine folder={folder.id} />
      {seen.error && <p className="mt-3 text-sm text-night-mute">{seen.error.message}</p>}
    </section>
  );
}

function Table({ rows }: { readonly rows: readonly ReachView[] }): ReactNode {
  return (
    <Tooltip.Provider delayDuration={150}>
      <div className="-mx-2 mt-3 overflow-x-auto">
        <table className="w-full min-w-[560px] text-sm">
          <thead>
            <tr className="text-left text-[12.5px] text-night-mute">
              <th scope="col" className="px-2 pb-2 font-medium">
                <span className="sr-only">{say("who")}</span>
              </th>
              {COLUMNS.map(([column, words]) => (
                <th key={column} scope="col" className="px-1 pb-2 font-medium">
                  {words}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map((row) => (
              <tr key={row.kind} className="border-t border-night-line">
                <th scope="row" className="px-2 py-1.5 text-left font-semibold">
                  {WHO[row.kind]}
                </th>
                {COLUMNS.map(([column]) => (
                  <td key={column} className="px-0.5 py-1">
                    <Answer cell={row[column]} />
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </Tooltip.Provider>
  );
}

const ANSWERS = {
  yes: { word: "yes", Sign: Check, tone: "text-night-clay" },
  partly: { word: "partly", Sign: CircleDashed, tone: "text-night-ochre" },
  no: { word: "no", Sign: X, tone: "text-night-mute" },
} as const;

function Answer({ cell }: { readonly cell: ReachCell }): ReactNode {
  const { word, Sign, tone } = ANSWERS[cell.answer];
  return (
    <Tooltip.Root>
      <Tooltip.Trigger
        className={`inline-flex h-8 items-center gap-1.5 rounded-md px-1.5 font-medium hover:bg-night-line/60 ${tone}`}
        aria-label={`${word}: ${cell.reason}`}
      >
        <Sign className="size-4" aria-hidden />
        {word}
      </Tooltip.Trigger>
      <Tooltip.Portal>
        <Tooltip.Content
          sideOffset={4}
          className="z-50 max-w-[280px] rounded-lg border border-line bg-sheet px-3 py-2 text-[13px] text-ink shadow-xl"
        >
          {cell.reason}
          <Tooltip.Arrow className="fill-sheet" />
        </Tooltip.Content>
      </Tooltip.Portal>
    </Tooltip.Root>
  );
}
