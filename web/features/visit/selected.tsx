"use client";
import { Download, FolderInput, Pencil, Trash2 } from "lucide-react";
import { type ReactNode, useState } from "react";
import type { VisitEntry } from "@eremos/server/contract";
import { childHref, lastName, parentHref } from "./hrefs";
import { NameDialog } from "./name-dialog";
import type { useChange } from "./use-visit";
import { api } from "@/lib/api";
import { count } from "@/lib/format";
import { useVerb } from "@/lib/queries";
import { Button } from "@/ui/button";
import { Confirm } from "@/ui/dialog";

interface SelectedProps {
  readonly hrefs: readonly string[];
  readonly entries: readonly VisitEntry[];
  readonly folder: string;
  readonly contents: string;
  readonly change: ReturnType<typeof useChange>;
  readonly onMove: () => void;
  readonly onDone: () => void;
}

/** What can be done with the chosen entries. */
export function Selected({ hrefs, entries, folder, contents, change, onMove, onDone }: SelectedProps): ReactNode {
  const [asking, setAsking] = useState<"name" | "remove" | null>(null);
  const chosen = entries.filter(({ href }) => hrefs.includes(href));
  const [only] = chosen.length === 1 ? chosen : [];
  const what = only?.name ?? count(hrefs.length, "entry", "entries");
  const archive = useVerb(async () => save((await api.archive(folder, hrefs)).href, `${only?.name ?? "Chosen"}.zip`));
  return (
    <div
      className="flex flex-wrap items-center gap-2 border-b border-line bg-dusk-soft px-6 py-2 text-sm"
      role="toolbar"
      aria-label="With what is chosen"
    >
      <span className="min-w-0 flex-1 truncate font-medium">{what} chosen</span>
      {only && (
        <Button size="small" onClick={() => setAsking("name")}>
          <Pencil className="size-4" aria-hidden />
          Rename…
        </Button>
      )}
      <Button size="small" onClick={onMove}>
        <FolderInput className="size-4" aria-hidden />
        Move…
      </Button>
      {only?.kind === "file" ? (
        <Button size="small" onClick={() => download(only, contents)}>
          <Download className="size-4" aria-hidden />
          Download
        </Button>
      ) : (
        <Button size="small" disabled={archive.pending} onClick={() => archive.run()}>
          <Download className="size-4" aria-hidden />
          Download as ZIP
        </Button>
      )}
      <Button size="small" tone="oxblood" onClick={() => setAsking("remove")}>
        <Trash2 className="size-4" aria-hidden />
        Delete…
      </Button>
      <Button size="small" onClick={onDone}>
        Choose nothing
      </Button>
      {only && (
        <NameDialog
          open={asking === "name"}
          onOpenChange={(open) => !open && setAsking(null)}
          title={`Rename ${only.name}`}
          action="Rename it"
          initial={only.name}
          onName={(name) =>
            change.run({ kind: "move", href: only.href, to: childHref(parentHref(only.href), name) }, onDone)
          }
        />
      )}
      <Confirm
        open={asking === "remove"}
        onOpenChange={(open) => !open && setAsking(null)}
        title={`Delete ${what}?`}
        action="Delete"
        tone="oxblood"
        onConfirm={() => change.run({ kind: "remove", hrefs }, onDone)}
      >
        <p>
          {chosen.some(({ kind }) => kind === "dir") ? "With everything in it. " : ""}As long as this visit lasts, Undo
          brings it back; after that it is gone.
        </p>
      </Confirm>
    </div>
  );
}

export function download({ href }: VisitEntry, contents: string): void {
  save(`${contents}${href}?download`, lastName(href));
}

function save(address: string, name: string): void {
  const link = document.createElement("a");
  link.href = address;
  link.download = name;
  link.click();
}
