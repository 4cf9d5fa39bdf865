"use client";
import { X } from "lucide-react";
import type { ReactNode } from "react";
import { say } from "@eremos/words/page/settings";

interface ListedPath {
  readonly path: string;
  readonly note: string;
  readonly removable: boolean;
}

interface PathListProps {
  readonly entries: readonly ListedPath[];
  readonly pending: boolean;
  readonly onTakeOff: (path: string) => void;
}

/** Paths, each with what is to be said of it, and a way to take it off the list. */
export function PathList({ entries, pending, onTakeOff }: PathListProps): ReactNode {
  return (
    <ul className="mt-2 divide-y divide-line rounded-xl border border-line bg-sheet text-sm">
      {entries.map(({ path, note, removable }) => (
        <li
          key={path}
          className="grid min-h-11 grid-cols-[minmax(0,1fr)_36px] items-center gap-x-4 px-4 py-1 sm:grid-cols-[minmax(0,1fr)_minmax(0,1fr)_36px]"
        >
          <span className="truncate font-medium" title={path}>
            {path}
          </span>
          <span className="row-start-2 text-mute sm:row-start-auto">{note}</span>
          {removable && (
            <button
              type="button"
              onClick={() => onTakeOff(path)}
              disabled={pending}
              aria-label={say("take-off-list", { path })}
              title={say("take-it-off-list")}
              className="grid size-9 place-items-center rounded-md text-mute hover:bg-sand hover:text-ink"
            >
              <X className="size-4" aria-hidden />
            </button>
          )}
        </li>
      ))}
    </ul>
  );
}
