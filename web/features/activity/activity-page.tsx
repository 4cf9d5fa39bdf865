"use client";
import { useQuery } from "@tanstack/react-query";
import { Tabs } from "radix-ui";
import { type ReactNode, useState } from "react";
import { Entries } from "@/parts/activity/entries";
import { FilterBar, FolderSelect, TimeSelect } from "@/parts/activity/filter-bar";
import { EVERYTHING, type Sought, filterOf, isEverything } from "@/parts/activity/sought";
import { useActivity } from "@/parts/activity/use-activity";
import { Charts } from "@/parts/charts/charts";
import { Button } from "@/ui/button";
import { Trouble } from "@/ui/trouble";
import { api } from "@/lib/api";
import { KEYS, useVerb } from "@/lib/queries";
import { Keeping } from "./keeping";
import { say } from "@eremos/words/page/activity";

/** What happened, to be looked through and to be seen as charts. */
export function ActivityPage(): ReactNode {
  const [sought, setSought] = useState(EVERYTHING);
  const seek = (change: Partial<Sought>): void => setSought({ ...sought, ...change });
  const [isKeeping, setKeeping] = useState(false);
  const { first } = useActivity(filterOf(sought), 0, 0);
  const folders = first?.folders ?? [];
  return (
    <main className="flex h-full flex-col overflow-y-auto px-4 py-5 sm:px-6 lg:px-10">
      <div className="flex max-w-[1080px] flex-wrap items-start justify-between gap-3">
        <div>
          <h1 className="text-2xl">{say("activity")}</h1>
          <p className="mt-1 text-sm text-mute">{say("what-was-done-with-your")}</p>
        </div>
        <Button onClick={() => setKeeping(true)}>{say("keeping")}</Button>
      </div>
      <IsOff />
      <Tabs.Root defaultValue="history" className="mt-4 flex min-h-[520px] max-w-[1080px] flex-1 flex-col">
        <Tabs.List aria-label={say("activity")} className="mb-4 flex gap-5 border-b border-line">
          <Tab name="history" />
          <Tab name="charts" />
        </Tabs.List>
        <Tabs.Content value="history" className="flex min-h-0 flex-1 flex-col">
          <FilterBar sought={sought} folders={folders} onSeek={seek} />
          <Entries
            sought={sought}
            isOfOne={false}
            isSeeking={!isEverything(sought)}
            onEverything={() => setSought(EVERYTHING)}
          />
        </Tabs.Content>
        <Tabs.Content value="charts" className="pb-10">
          <div className="mb-5 grid grid-cols-2 gap-3 sm:flex">
            <FolderSelect className="sm:w-48" sought={sought} folders={folders} onSeek={seek} />
            <TimeSelect sought={sought} onSeek={seek} />
          </div>
          <Charts of={sought.folder} sought={sought} />
        </Tabs.Content>
      </Tabs.Root>
      <Keeping open={isKeeping} onOpenChange={setKeeping} sought={sought} shown={first} />
    </main>
  );
}

function Tab({ name }: { readonly name: "history" | "charts" }): ReactNode {
  return (
    <Tabs.Trigger
      value={name}
      className="-mb-px border-b-2 border-transparent px-0.5 pb-2 text-[15px] text-mute data-[state=active]:border-dusk data-[state=active]:font-semibold data-[state=active]:text-dusk"
    >
      {say(name)}
    </Tabs.Trigger>
  );
}

/** Somebody who wants to know who was there is told why they can't. */
function IsOff(): ReactNode {
  const settings = useQuery({ queryKey: KEYS.settings, queryFn: api.settings });
  const again = useVerb(async () => {
    await api.keepHistory("for-good");
    await settings.refetch();
  });
  if (settings.data?.preferences.keepHistory !== "off") return null;
  return (
    <div className="mt-3 max-w-[1080px]">
      <Trouble words={say("is-off")}>
        <Button size="small" disabled={again.pending} onClick={() => again.run()}>
          {say("write-again")}
        </Button>
      </Trouble>
    </div>
  );
}
