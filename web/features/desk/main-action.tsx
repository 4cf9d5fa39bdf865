"use client";
import type { ReactNode } from "react";
import type { FolderView } from "@eremos/server/contract";
import { Button } from "@/ui/button";
import { api } from "@/lib/api";
import { useVerb } from "@/lib/queries";

/** The one action a folder's state calls for. */
export function MainAction({ folder, size = "small" }: { readonly folder: FolderView; readonly size?: "small" | "large" }): ReactNode {
  const lock = useVerb(() => api.lock(folder.path, null));
  const unlock = useVerb(() => api.unlock(folder.id));
  if (folder.state === "open") return <Button tone="clay" size={size} disabled={lock.pending} onClick={() => lock.run()}>Lock now</Button>;
  if (folder.state === "locked") return <Button tone="dusk" size={size} disabled={unlock.pending} onClick={() => unlock.run()}>Open in place</Button>;
  return null;
}
