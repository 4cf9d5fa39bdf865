"use client";
import type { ReactNode } from "react";
import { FolderList } from "./folder-list";
import { OnlookerPane } from "./onlooker-pane";
import { Places } from "./places";
import { say } from "@eremos/words/page/desk";

/** You on the light side, the Onlooker on the night side. */
export function Desk(): ReactNode {
  return (
    <main className="flex h-full min-h-0 flex-col overflow-y-auto lg:grid lg:grid-cols-[232px_minmax(0,1fr)_352px] lg:overflow-hidden xl:grid-cols-[260px_minmax(0,1fr)_400px]">
      <h1 className="sr-only">{say("desk")}</h1>
      <Places />
      <FolderList />
      <OnlookerPane />
    </main>
  );
}
