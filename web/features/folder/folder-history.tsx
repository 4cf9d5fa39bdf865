"use client";
import { type ReactNode, useState } from "react";
import { Entries } from "@/parts/activity/entries";
import { FilterBar } from "@/parts/activity/filter-bar";
import { EVERYTHING, type Sought, isEverything } from "@/parts/activity/sought";
import { Charts } from "@/parts/charts/charts";
import { say as sayActivity } from "@eremos/words/page/activity";
import { say } from "@eremos/words/page/folder";

/** What happened to one folder. */
export function FolderHistory({ id }: { readonly id: string }): ReactNode {
  const all = { ...EVERYTHING, folder: id };
  const [sought, setSought] = useState<Sought>(all);
  const [showsCharts, setShowsCharts] = useState(false);
  return (
    <section aria-labelledby="history">
      <h2 id="history" className="mb-2 text-lg">
        {say("history")}
      </h2>
      <FilterBar sought={sought} folders={null} onSeek={(change) => setSought({ ...sought, ...change })} />
      <div className="flex max-h-[380px] min-h-0 flex-col">
        <Entries
          sought={sought}
          isOfOne
          isSeeking={!isEverything(sought, { folder: id })}
          onEverything={() => setSought(all)}
        />
      </div>
      <details className="mt-3" onToggle={(event) => setShowsCharts(event.currentTarget.open)}>
        <summary className="mb-3 w-fit rounded text-sm font-medium text-dusk">
          {sayActivity("charts-of-folder")}
        </summary>
        {showsCharts && <Charts of={id} sought={sought} />}
      </details>
    </section>
  );
}
