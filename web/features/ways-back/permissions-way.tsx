"use client";
import { type ReactNode, useState } from "react";
import { toast } from "sonner";
import type { FolderView, PermissionsView } from "@eremos/server/contract";
import { useWithSecret } from "@/parts/secrets/ask-secret";
import { api } from "@/lib/api";
import { count } from "@/lib/format";
import { Button } from "@/ui/button";

/** Permissions and owners that were lost or changed: shown against what was recorded, and set back. */
export function PermissionsWay({ folders }: { readonly folders: readonly FolderView[] }): ReactNode {
  return (
    <div className="space-y-3">
      <p>
        A folder that came back from a backup, from another computer or another account may belong to somebody else now,
        or refuse you. Eremos looks whether you get at it; where it lies open, it compares every permission, owner and
        access list with what was recorded at the last lock.
      </p>
      {folders.length === 0 ? (
        <p>Nothing is protected yet.</p>
      ) : (
        <ul aria-label="Permissions of your folders" className="divide-y divide-line/70 rounded-xl border border-line">
          {folders.map((folder) => (
            <li key={folder.id} className="px-4 py-2.5">
              <One folder={folder} />
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}

function One({ folder }: { readonly folder: FolderView }): ReactNode {
  const [view, setView] = useState<PermissionsView | null>(null);
  const look = useWithSecret(
    folder,
    "Look",
    async (secret, repair: boolean) => {
      const seen = await api.permissions(folder.id, secret, repair);
      if (repair)
        toast.success(
          seen.repaired > 0
            ? `${count(seen.repaired, "entry is", "entries are")} as recorded again.`
            : "What this account may set back is set back.",
        );
      setView(repair && seen.changes.every(({ refusal }) => refusal === null) ? { ...seen, changes: [] } : seen);
    },
    folder.hasPassword && folder.state === "open",
  );
  const canRepair = view && (view.access.some(({ kind }) => kind === "refused") || view.changes.length > 0);
  return (
    <div>
      <div className="flex flex-wrap items-center gap-3">
        <span className="min-w-0 flex-1 truncate" title={folder.path}>
          <span className="font-medium">{folder.name}</span> <span className="text-mute">{folder.path}</span>
        </span>
        {canRepair && (
          <Button size="small" tone="dusk" disabled={look.pending} onClick={() => look.run(true)}>
            Set back
          </Button>
        )}
        <Button
          size="small"
          disabled={look.pending}
          onClick={() => look.run(false)}
          aria-label={`Look at the permissions of ${folder.name}`}
        >
          Look
        </Button>
      </div>
      <div role="status" className="text-[13px]">
        {view && <Seen view={view} />}
      </div>
      {look.dialog}
    </div>
  );
}

function Seen({ view: { access, advice, changes, compared, entries } }: { readonly view: PermissionsView }): ReactNode {
  if (access.length === 0 && changes.length === 0)
    return (
      <p className="mt-1 text-mute">
        {compared
          ? `You get at it, and all ${count(entries, "entry", "entries")} in it are as recorded.`
          : "You get at it. What is in it can be compared while it lies open."}
      </p>
    );
  return (
    <>
      <ul className="mt-2 max-h-56 space-y-1 overflow-y-auto">
        {access.map(({ path, reason }) => (
          <li key={path} className="break-all">
            <span className="font-medium">{path}</span>: {reason}
          </li>
        ))}
        {changes.map(({ path, was, is, refusal }) => (
          <li key={path} className="break-all">
            <span className="font-medium">{path}</span>: recorded {was}; now {is}.
            {refusal !== null && <span className="text-oxblood"> Not set back: {refusal}.</span>}
          </li>
        ))}
      </ul>
      {advice !== null && (
        <p className="mt-2">
          An administrator gives it back to you with: <code className="break-all">{advice}</code>
        </p>
      )}
    </>
  );
}
