"use client";
import { DoorClosed, LogOut } from "lucide-react";
import Link from "next/link";
import type { ReactNode } from "react";
import { CommandField } from "./command-field";
import { Button } from "@/ui/button";
import { api } from "@/lib/api";
import { count } from "@/lib/format";
import { showError, useFolders, useVerb } from "@/lib/queries";

interface TopBarProps {
  readonly failedTries: number;
  readonly onFailuresSeen: () => void;
  readonly onSignedOut: () => void;
}

export function TopBar({ failedTries, onFailuresSeen, onSignedOut }: TopBarProps): ReactNode {
  const open = (useFolders() ?? []).filter((folder) => folder.state === "open");
  const closeUp = useVerb(async () => {
    for (const folder of open) await api.lock(folder.path, null);
  });
  const signOut = (): void => {
    api.signOut().then(onSignedOut, showError);
  };
  return (
    <header className="flex min-w-0 items-center gap-2 border-b border-line bg-sheet px-4 sm:gap-4">
      <Link href="/" className="font-display text-xl font-bold tracking-tight">Eremos</Link>
      <CommandField />
      <div className="ml-auto flex shrink-0 items-center gap-2 sm:gap-3">
        {failedTries > 0 && (
          <button type="button" onClick={onFailuresSeen} className="rounded-lg bg-ochre-soft px-3 py-1.5 text-[13px] font-medium text-ochre" title="Seen; take this note away">
            {count(failedTries, "wrong password")} since you were last here
          </button>
        )}
        <span className="hidden text-sm font-semibold text-clay md:inline" role="status">{open.length > 0 ? `${count(open.length, "folder")} open` : ""}</span>
        <Button tone={open.length > 0 ? "clay" : "plain"} disabled={open.length === 0 || closeUp.pending} onClick={() => closeUp.run()} title="Lock every open folder now">
          <DoorClosed className="size-4" aria-hidden /><span className="max-sm:sr-only">Close up</span>
        </Button>
        <Button onClick={signOut}><LogOut className="size-4" aria-hidden /><span className="max-sm:sr-only">Sign out</span></Button>
      </div>
    </header>
  );
}
