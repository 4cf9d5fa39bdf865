"use client";
import { useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useEffect } from "react";
import { JobToasts } from "./job-toasts";
import { Rail } from "./rail";
import { SelectionProvider } from "./selection";
import { TopBar } from "./top-bar";
import { ProtectDialog } from "@/features/desk/protect-dialog";
import { followEvents } from "@/lib/events";
import { KEYS } from "@/lib/queries";

interface ShellProps {
  readonly failedTries: number;
  readonly onFailuresSeen: () => void;
  readonly onSignedOut: () => void;
  readonly children: ReactNode;
}

export function Shell({ failedTries, onFailuresSeen, onSignedOut, children }: ShellProps): ReactNode {
  useLiveUpdates(onSignedOut);
  return (
    <SelectionProvider>
      <div className="grid h-dvh grid-cols-[minmax(0,1fr)] grid-rows-[56px_minmax(0,1fr)] bg-paper">
        <TopBar failedTries={failedTries} onFailuresSeen={onFailuresSeen} onSignedOut={onSignedOut} />
        <div className="grid min-h-0 grid-cols-[64px_minmax(0,1fr)] sm:grid-cols-[84px_minmax(0,1fr)]">
          <Rail />
          <div className="min-h-0 overflow-hidden">{children}</div>
        </div>
      </div>
      <ProtectDialog />
      <JobToasts />
    </SelectionProvider>
  );
}

/** The page follows the server, and through it the disk and the command line. */
function useLiveUpdates(onSignedOut: () => void): void {
  const client = useQueryClient();
  useEffect(() => followEvents((change) => {
    const ask = (...key: readonly unknown[]): void => void client.invalidateQueries({ queryKey: key });
    if (change.topic === "jobs") ask(...KEYS.jobs);
    if (change.topic === "session" || change.topic === "gate") ask(...KEYS.state);
    if (change.topic === "folders") for (const key of [KEYS.folders, ["place"], ["onlooker"], KEYS.activity]) ask(...key);
    if (change.topic === "place" && change.path !== undefined) {
      ask(...KEYS.place(change.path));
      ask("onlooker", change.path);
      ask(...KEYS.folders);
    }
  }, onSignedOut), [client, onSignedOut]);
}
