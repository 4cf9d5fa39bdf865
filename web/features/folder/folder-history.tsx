"use client";
import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { EventList } from "@/parts/folders/event-list";
import { api } from "@/lib/api";
import { KEYS } from "@/lib/queries";
import { say } from "@eremos/words/page/folder";

export function FolderHistory({ id }: { readonly id: string }): ReactNode {
  const activity = useQuery({ queryKey: KEYS.activity, queryFn: api.activity });
  return (
    <section aria-labelledby="history">
      <h2 id="history" className="text-lg">
        {say("history")}
      </h2>
      <EventList events={(activity.data ?? []).filter((event) => event.folder === id)} names={null} />
    </section>
  );
}
