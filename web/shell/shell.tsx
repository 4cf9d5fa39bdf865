"use client";
import { type ReactNode, useEffect } from "react";
import { JobToasts } from "./job-toasts";
import { Rail } from "./rail";
import { SelectionProvider } from "@/parts/folders/selection";
import { TopBar } from "./top-bar";
import type { Entered } from "@/features/entrance/entrance";
import { AskedElsewhere } from "@/features/desk/asked-elsewhere";
import { DropTarget } from "@/features/desk/drop-target";
import { ProtectAllDialog } from "@/features/desk/protect-all-dialog";
import { ProtectDialog } from "@/features/desk/protect-dialog";
import { MakeDialog } from "@/features/desk/make-dialog";
import { MoveInDialog } from "@/features/desk/move-in-dialog";
import { OverwriteDialog } from "@/features/desk/overwrite-dialog";
import { ActsProvider } from "@/parts/folders/acts-provider";
import { LetGoNotice } from "@/parts/folders/let-go-notice";
import { BatchProvider } from "@/parts/folders/batch";
import { ConsentDialog } from "@/parts/folders/consent";
import { api } from "@/lib/api";

export function Shell({ children, ...entered }: Entered & { readonly children: ReactNode }): ReactNode {
  useTouches();
  return (
    <Rooms>
      <DropTarget>
        <div className="grid h-dvh grid-cols-[minmax(0,1fr)] grid-rows-[56px_minmax(0,1fr)] bg-paper">
          <TopBar {...entered} />
          <div className="grid min-h-0 grid-cols-[64px_minmax(0,1fr)] sm:grid-cols-[84px_minmax(0,1fr)]">
            <Rail />
            <div className="min-h-0 overflow-hidden">{children}</div>
          </div>
        </div>
      </DropTarget>
      <ProtectDialog />
      <ProtectAllDialog />
      <MakeDialog />
      <MoveInDialog />
      <OverwriteDialog />
      <AskedElsewhere />
      <JobToasts />
      <ConsentDialog />
    </Rooms>
  );
}

/** What is chosen, and what is done with it, for every view. */
function Rooms({ children }: { readonly children: ReactNode }): ReactNode {
  return (
    <SelectionProvider>
      <BatchProvider>
        <ActsProvider>
          <LetGoNotice />
          {children}
        </ActsProvider>
      </BatchProvider>
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
