"use client";
import { useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useEffect, useState } from "react";
import { JobToasts } from "./job-toasts";
import { Rail } from "./rail";
import { SelectionProvider } from "./selection";
import { TopBar } from "./top-bar";
import { DropTarget } from "@/features/desk/drop-target";
import { ProtectDialog } from "@/features/desk/protect-dialog";
import { ConsentDialog } from "@/features/folder/consent";
import { api } from "@/lib/api";
import { followEvents } from "@/lib/events";
import { KEYS } from "@/lib/queries";

interface ShellProps {
  readonly failedTries: number;
  readonly onFailuresSeen: () => void;
  readonly onSignedOut: () => void;
  readonly children: ReactNode;
}

export function Shell({ failedTries, onFailuresSeen, onSignedOut, children }: ShellProps): ReactNode {
  const reached = useLiveUpdates(onSignedOut);
  useTouches();
  return (
    <SelectionProvider>
      <DropTarget>
        <div className="grid h-dvh grid-cols-[minmax(0,1fr)] grid-rows-[56px_minmax(0,1fr)] bg-paper">
          <TopBar failedTries={failedTries} onFailuresSeen={onFailuresSeen} onSignedOut={onSignedOut} />
          <div className="grid min-h-0 grid-cols-[64px_minmax(0,1fr)] sm:grid-cols-[84px_minmax(0,1fr)]">
            <Rail />
            <div className="min-h-0 overflow-hidden">{children}</div>
          </div>
        </div>
      </DropTarget>
      {!reached && (
        <p role="alert" className="fixed inset-x-0 top-14 z-30 mx-auto w-fit max-w-[90vw] rounded-b-xl bg-ochre-soft px-5 py-2.5 text-sm font-medium text-ochre shadow-lg">
          Eremos does not answer; it may have been stopped. Your folders stay as they are on the disk. Start it again, and this page goes on by itself.
        </p>
      )}
      <ProtectDialog />
      <JobToasts />
      <ConsentDialog />
    </SelectionProvider>
  );
}

const TELL_EVERY_MS = 20_000;

/** Tells the server that somebody is here, so that it doesn't sign out. */
function useTouches(): void {
  useEffect(() => {
    let toldAt = Date.now();
    const touched = (): void => {
      if (Date.now() - toldAt < TELL_EVERY_MS) return;
      toldAt = Date.now();
      api.touch().catch(() => undefined);
    };
    const kinds = ["pointerdown", "keydown", "wheel"] as const;
    for (const kind of kinds) window.addEventListener(kind, touched, { passive: true });
    return () => kinds.forEach((kind) => window.removeEventListener(kind, touched));
  }, []);
}

/** The page follows the server, and through it the disk and the command line. */
function useLiveUpdates(onSignedOut: () => void): boolean {
  const client = useQueryClient();
  const [reached, setReached] = useState(true);
  useEffect(() => followEvents((change) => {
    const ask = (...key: readonly unknown[]): void => void client.invalidateQueries({ queryKey: key });
    if (change.topic === "jobs") ask(...KEYS.jobs);
    if (change.topic === "session" || change.topic === "gate") for (const key of [KEYS.state, KEYS.settings, KEYS.keyholders, KEYS.sharesSets]) ask(...key);
    if (change.topic === "folders") for (const key of [KEYS.folders, KEYS.interruptions, ["place"], ["onlooker"], ["reach"], KEYS.activity]) ask(...key);
    if (change.topic === "scan") for (const key of [KEYS.scan, KEYS.hidden]) ask(...key);
    if (change.topic === "place" && change.path !== undefined) {
      ask(...KEYS.place(change.path));
      ask("onlooker", change.path);
      ask(...KEYS.folders);
    }
  }, onSignedOut, setReached), [client, onSignedOut]);
  return reached;
}
