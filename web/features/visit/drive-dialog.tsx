"use client";
import { Check, Copy } from "lucide-react";
import { type ReactNode, useState } from "react";
import type { VisitView } from "@eremos/server/contract";
import { api } from "@/lib/api";
import { useVerb } from "@/lib/queries";
import { Button } from "@/ui/button";
import { Dialog } from "@/ui/dialog";

interface DriveDialogProps {
  readonly visit: VisitView;
  readonly open: boolean;
  readonly onOpenChange: (open: boolean) => void;
}

/** The visit as a drive, for every program: its address, and the name and password that hold for this visit alone. */
export function DriveDialog({ visit, open, onOpenChange }: DriveDialogProps): ReactNode {
  const { address } = visit;
  const mount = useVerb(() => api.mountVisit(visit.folder));
  return (
    <Dialog
      open={open}
      onOpenChange={onOpenChange}
      title="Use it as a drive"
      description="Any program can open and save files in the folder then. What it saves is encrypted on the way; what the program itself keeps elsewhere is its own matter."
    >
      {visit.mount !== "no" && (
        <div className="mt-5 flex items-center gap-3 rounded-xl border border-line bg-dusk-soft px-4 py-3 text-sm">
          <p className="min-w-0 flex-1" role="status">
            {visit.mount === "mounted"
              ? "It is mounted: your file manager shows it beside your drives, until the visit ends."
              : "Your desktop can mount it by itself, and show it in the file manager."}
          </p>
          {visit.mount === "can" && (
            <Button tone="dusk" disabled={mount.pending} onClick={() => mount.run()}>
              {mount.pending ? "Mounting…" : "Mount it"}
            </Button>
          )}
        </div>
      )}
      <dl className="mt-5 divide-y divide-line rounded-xl border border-line bg-sheet px-4 text-sm">
        <Row term="In a file manager, “Connect to server”" value={address} />
        <Row term="Password, for this visit alone" value={visit.password} />
        <Row term="Or in a terminal" value={`gio mount ${address}`} />
        <Row term="For other WebDAV programs" value={visit.url} />
        <Row term="Name there" value={visit.user} />
      </dl>
      <p className="mt-4 text-[13px] text-mute">
        Only programs on this computer reach it. A file manager may keep names, and thumbnails of pictures it shows, and
        a mounted drive’s client may keep copies of what it reads; Eremos has no hand in that.
      </p>
    </Dialog>
  );
}

function Row({ term, value }: { readonly term: string; readonly value: string }): ReactNode {
  const [copied, setCopied] = useState(false);
  return (
    <div className="flex items-center gap-3 py-2.5">
      <div className="min-w-0 flex-1">
        <dt className="text-[13px] text-mute">{term}</dt>
        <dd className="truncate font-mono text-[13px]" title={value}>
          {value}
        </dd>
      </div>
      <button
        type="button"
        aria-label={`Copy: ${term}`}
        title="Copy"
        className="grid size-9 shrink-0 place-items-center rounded-md text-mute hover:bg-sand hover:text-ink"
        onClick={() => void navigator.clipboard.writeText(value).then(() => setCopied(true))}
      >
        {copied ? <Check className="size-4" aria-hidden /> : <Copy className="size-4" aria-hidden />}
      </button>
    </div>
  );
}
