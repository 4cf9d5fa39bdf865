"use client";
import { X } from "lucide-react";
import type { ReactNode } from "react";
import type { FolderView } from "@eremos/server/contract";
import { type Act, actsOfMany } from "@/parts/folders/acts";
import { Button } from "@/ui/button";
import { say } from "@eremos/words/page/desk";

interface ChosenBarProps {
  readonly folders: readonly FolderView[];
  readonly onNone: () => void;
  readonly run: (act: Act, folders: readonly FolderView[]) => void;
}

/** What can be done with all that are chosen; each says with how many of them. */
export function ChosenBar({ folders, onNone, run }: ChosenBarProps): ReactNode {
  return (
    <div
      role="toolbar"
      aria-label={say("chosen-folders")}
      className="mx-5 mb-2 flex flex-wrap items-center gap-1.5 rounded-xl border border-dusk bg-dusk-soft px-3 py-2"
    >
      <span className="mr-1 text-sm font-semibold" role="status">
        {say("so-many-chosen", { count: folders.length })}
      </span>
      {actsOfMany(folders).map(({ act, words, folders: some }) => (
        <Button key={act} size="small" onClick={() => run(act, some)}>
          {words}
        </Button>
      ))}
      <Button
        size="small"
        className="ml-auto px-2"
        aria-label={say("choose-none")}
        title={say("choose-none")}
        onClick={onNone}
      >
        <X className="size-4" aria-hidden />
      </Button>
    </div>
  );
}
