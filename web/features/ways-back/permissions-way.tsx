"use client";
import { type ReactNode, useState } from "react";
import { toast } from "sonner";
import type { FolderView, PermissionsView } from "@eremos/server/contract";
import { useWithSecret } from "@/parts/secrets/ask-secret";
import { api } from "@/lib/api";
import { Button } from "@/ui/button";
import { say } from "@eremos/words/page/ways-back";

/** Permissions and owners that were lost or changed: shown against what was recorded, and set back. */
export function PermissionsWay({ folders }: { readonly folders: readonly FolderView[] }): ReactNode {
  return (
    <div className="space-y-3">
      <p>{say("folder-that-came-back-from")}</p>
      {folders.length === 0 ? (
        <p>{say("nothing-is-protected-yet")}</p>
      ) : (
        <ul
          aria-label={say("permissions-your-folders")}
          className="divide-y divide-line/70 rounded-xl border border-line"
        >
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
    say("look"),
    async (secret, repair: boolean) => {
      const seen = await api.permissions(folder.id, secret, repair);
      if (repair)
        toast.success(
          seen.repaired > 0
            ? say("entries-are-as-recorded-again", { repaired: seen.repaired })
            : say("what-this-account-may-set"),
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
            {say("set-back")}
          </Button>
        )}
        <Button
          size="small"
          disabled={look.pending}
          onClick={() => look.run(false)}
          aria-label={say("look-at-permissions", { name: folder.name })}
        >
          {say("look")}
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
      <p className="mt-1 text-mute">{compared ? say("you-get-at-it-and", { entries }) : say("you-get-at-it-what")}</p>
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
            <span className="font-medium">{path}</span>
            {say("recorded-now", { was, theIs: is })}
            {refusal !== null && <span className="text-oxblood"> {say("not-set-back", { refusal })}</span>}
          </li>
        ))}
      </ul>
      {advice !== null && (
        <p className="mt-2">
          {say("administrator-gives-it-back-you")} <code className="break-all">{advice}</code>
        </p>
      )}
    </>
  );
}
