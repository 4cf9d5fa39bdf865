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
import { say } from "@eremos/words/page/folder";

interface Shown extends LastLockView {
  readonly secret: FolderSecret | null;
}

/** For a sealed folder that lies open: what changed since it was locked last, and the way back. */
export function LastLock({ folder }: { readonly folder: FolderView }): ReactNode {
  const [shown, setShown] = useState<Shown | null>(null);
  const [asking, setAsking] = useState<readonly VisitEntry[] | "everything" | null>(null);
  const look = useWithSecret(folder, say("show-it"), async (secret) =>
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
        {say("since-it-was-locked-last")}
      </h2>
      <div className="mt-1 mb-2 flex flex-wrap items-center justify-between gap-3">
        <p className="text-sm text-mute">{say("what-came-changed-and-went")}</p>
        <Button size="small" disabled={look.pending} onClick={() => look.run()}>
          {shown ? say("look-again") : say("show-what-changed")}
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
        action={say("put-it-back")}
        tone="dusk"
        onConfirm={() => asking && back.run(asking)}
      >
        <p>{say("is-locked-as-it-is", { name: folder.name })}</p>
        <p>{say("nothing-is-lost-what-is")}</p>
      </Confirm>
      {look.dialog}
    </section>
  );
}

function wordsFor(asking: readonly VisitEntry[] | "everything" | null): string {
  const [only] = asking === "everything" || asking === null ? [] : asking;
  if (!only) return say("put-everything-back-as-it");
  return only.change === "added"
    ? say("take-away", { name: only.name })
    : say("put-back-as-it-was", { name: only.name });
}
