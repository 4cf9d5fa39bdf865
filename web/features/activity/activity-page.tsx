"use client";
import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { EventList } from "@/parts/folders/event-list";
import { api } from "@/lib/api";
import { KEYS, useFolders } from "@/lib/queries";
import { say } from "@eremos/words/page/activity";

export function ActivityPage(): ReactNode {
  const activity = useQuery({ queryKey: KEYS.activity, queryFn: api.activity });
  const names = new Map((useFolders() ?? []).map((folder) => [folder.id, folder.name]));
  return (
    <main className="h-full overflow-y-auto px-6 py-6 lg:px-10">
      <div className="max-w-[760px]">
        <h1 className="text-2xl">{say("activity")}</h1>
        <p className="mt-1 text-sm text-mute">{say("what-was-done-with-your")}</p>
        {activity.data && <EventList events={activity.data} names={names} />}
      </div>
    </main>
  );
}
