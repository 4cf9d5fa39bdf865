"use client";
import { Check, Copy } from "lucide-react";
import { type ReactNode, useState } from "react";
import type { VisitView } from "@eremos/server/contract";
import { api } from "@/lib/api";
import { useVerb } from "@/lib/queries";
import { Button } from "@/ui/button";
import { Dialog } from "@/ui/dialog";
import { say } from "@eremos/words/page/visit";

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
      title={say("use-it-as-drive")}
      description={say("any-program-can-open-and")}
    >
      {visit.mount !== "no" && (
        <div className="mt-5 flex items-center gap-3 rounded-xl border border-line bg-dusk-soft px-4 py-3 text-sm">
          <p className="min-w-0 flex-1" role="status">
            {visit.mount === "mounted" ? say("it-is-mounted-your-file") : say("your-desktop-can-mount-it")}
          </p>
          {visit.mount === "can" && (
            <Button tone="dusk" disabled={mount.pending} onClick={() => mount.run()}>
              {mount.pending ? say("mounting") : say("mount-it")}
            </Button>
          )}
        </div>
      )}
      <dl className="mt-5 divide-y divide-line rounded-xl border border-line bg-sheet px-4 text-sm">
        <Row term={say("in-file-manager-connect-server")} value={address} />
        <Row term={say("password-for-this-visit-alone")} value={visit.password} />
        <Row term={say("or-in-terminal")} value={`gio mount ${address}`} />
        <Row term={say("for-other-webdav-programs")} value={visit.url} />
        <Row term={say("name-there")} value={visit.user} />
      </dl>
      <p className="mt-4 text-[13px] text-mute">{say("only-programs-on-this-computer")}</p>
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
        aria-label={say("copy", { term })}
        title={say("copy-2")}
        className="grid size-9 shrink-0 place-items-center rounded-md text-mute hover:bg-sand hover:text-ink"
        onClick={() => void navigator.clipboard.writeText(value).then(() => setCopied(true))}
      >
        {copied ? <Check className="size-4" aria-hidden /> : <Copy className="size-4" aria-hidden />}
      </button>
    </div>
  );
}
