"use client";
import { Download, FolderInput, Pencil, Trash2 } from "lucide-react";
import { type ReactNode, useState } from "react";
import type { VisitEntry } from "@eremos/server/contract";
import { childHref, lastName, parentHref } from "./hrefs";
import { NameDialog } from "./name-dialog";
import type { useChange } from "./use-visit";
import { count } from "@/lib/format";
import { Button } from "@/ui/button";
import { Confirm } from "@/ui/dialog";

interface SelectedProps {
  readonly hrefs: readonly string[];
  readonly entries: readonly VisitEntry[];
  readonly contents: string;
  readonly change: ReturnType<typeof useChange>;
  readonly onMove: () => void;
  readonly onDone: () => void;
}

/** What can be done with the chosen entries. */
export function Selected({ hrefs, entries, contents, change, onMove, onDone }: SelectedProps): ReactNode {
  const [asking, setAsking] = useState<"name" | "remove" | null>(null);
  const chosen = entries.filter(({ href }) => hrefs.includes(href));
  const [only] = chosen.length === 1 ? chosen : [];
  const what = only?.name ?? count(hrefs.length, "entry", "entries");
  const files = chosen.filter(({ kind }) => kind === "file");
  return (
    <div className="flex flex-wrap items-center gap-2 border-b border-line bg-dusk-soft px-6 py-2 text-sm" role="toolbar" aria-label="With what is chosen">
      <span className="min-w-0 flex-1 truncate font-medium">{what} chosen</span>
      {only && <Button size="small" onClick={() => setAsking("name")}><Pencil className="size-4" aria-hidden />Rename…</Button>}
      <Button size="small" onClick={onMove}><FolderInput className="size-4" aria-hidden />Move…</Button>
      {files.length > 0 && files.length === chosen.length && <Button size="small" onClick={() => download(files, contents)}><Download className="size-4" aria-hidden />Download</Button>}
      <Button size="small" tone="oxblood" onClick={() => setAsking("remove")}><Trash2 className="size-4" aria-hidden />Delete…</Button>
      <Button size="small" onClick={onDone}>Choose nothing</Button>
      {only && <NameDialog open={asking === "name"} onOpenChange={(open) => !open && setAsking(null)} title={`Rename ${only.name}`} action="Rename it" initial={only.name} onName={(name) => change.run({ kind: "move", href: only.href, to: childHref(parentHref(only.href), name) }, onDone)} />}
      <Confirm open={asking === "remove"} onOpenChange={(open) => !open && setAsking(null)} title={`Delete ${what}?`} action="Delete" tone="oxblood" onConfirm={() => change.run({ kind: "remove", hrefs }, onDone)}>
        <p>{chosen.some(({ kind }) => kind === "dir") ? "With everything in it. " : ""}As long as this visit lasts, Undo brings it back; after that it is gone.</p>
      </Confirm>
    </div>
  );
}

/** The browser asks before several files, where it does so at all. */
export function download(files: readonly VisitEntry[], contents: string): void {
  for (const { href } of files) {
    const link = document.createElement("a");
    link.href = `${contents}${href}?download`;
    link.download = lastName(href);
    link.click();
  }
}
