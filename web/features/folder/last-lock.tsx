"use client";
import { isEncrypting } from "@eremos/core/guards";
import { type ReactNode, useState } from "react";
import type { FolderSecret, FolderView, LastLockView, VisitEntry } from "@eremos/server/contract";
import { useWithSecret } from "@/parts/secrets/ask-secret";
import { Differences } from "@/parts/compare/differences";
import { api } from "@/lib/api";
import { useVerb } from "@/lib/queries";
import { Button } from "@/ui/button";
import { Confirm } from "@/ui/dialog";

interface Shown extends LastLockView {
  readonly secret: FolderSecret | null;
}

/** For a sealed folder that lies open: what changed since it was locked last, and the way back. */
export function LastLock({ folder }: { readonly folder: FolderView }): ReactNode {
  const [shown, setShown] = useState<Shown | null>(null);
  const [asking, setAsking] = useState<readonly VisitEntry[] | "everything" | null>(null);
  const look = useWithSecret(folder, "Show it", async (secret) =>
    setShown({ ...(await api.lastLock(folder.id, secret)), secret }),
  );
  const back = useVerb(async (entries: readonly VisitEntry[] | "everything") => {
    if (shown)
      await api.putBack(
        folder.id,
        shown.generation,
        entries === "everything" ? null : entries.map(({ href }) => href),
        shown.secret,
      );
    setShown(null);
  });
  if (!isEncrypting(folder) || folder.state !== "open") return null;
  return (
    <section aria-labelledby="last-lock">
      <h2 id="last-lock" className="text-lg">
        Since it was locked last
      </h2>
      <div className="mt-1 mb-2 flex flex-wrap items-center justify-between gap-3">
        <p className="text-sm text-mute">What came, changed and went since it lies open, by names, sizes and times.</p>
        <Button size="small" disabled={look.pending} onClick={() => look.run()}>
          {shown ? "Look again" : "Show what changed"}
        </Button>
      </div>
      {shown && (
        <div className="space-y-3">
          <Differences {...shown} disabled={back.pending} onPutBack={(entries) => setAsking(entries ?? "everything")} />
        </div>
      )}
      <Confirm
        open={asking !== null}
        onOpenChange={(open) => !open && setAsking(null)}
        title={wordsFor(asking)}
        action="Put it back"
        tone="dusk"
        onConfirm={() => asking && back.run(asking)}
      >
        <p>{folder.name} is locked as it is now, put back, and opened again. Close what you have open in it first.</p>
        <p>Nothing is lost: what is there now is kept as an earlier state, and a visit brings it back.</p>
      </Confirm>
      {look.dialog}
    </section>
  );
}

function wordsFor(asking: readonly VisitEntry[] | "everything" | null): string {
  const [only] = asking === "everything" || asking === null ? [] : asking;
  if (!only) return "Put everything back as it was?";
  return only.change === "added" ? `Take ${only.name} away?` : `Put ${only.name} back as it was?`;
}
