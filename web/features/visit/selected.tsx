"use client";
import { Download, FolderInput, Pencil, Trash2 } from "lucide-react";
import { type ReactNode, useState } from "react";
import type { VisitEntry } from "@eremos/server/contract";
import { childHref, lastName, parentHref } from "./hrefs";
import { HandOverChosen } from "@/parts/folders/hand-over-chosen";
import { NameDialog } from "./name-dialog";
import type { useChange } from "./use-visit";
import { api } from "@/lib/api";
import { useVerb } from "@/lib/queries";
import { Button } from "@/ui/button";
import { Confirm } from "@/ui/dialog";
import { say } from "@eremos/words/page/visit";

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
  const what = only?.name ?? say("entries", { hrefs: hrefs.length });
  const archive = useVerb(async () =>
    save((await api.archive(folder, hrefs)).href, `${only?.name ?? say("chosen")}.zip`),
  );
  return (
    <div
      className="flex flex-wrap items-center gap-2 border-b border-line bg-dusk-soft px-6 py-2 text-sm"
      role="toolbar"
      aria-label={say("with-what-is-chosen")}
    >
      <span className="min-w-0 flex-1 truncate font-medium">{say("chosen-2", { what })}</span>
      {only && (
        <Button size="small" onClick={() => setAsking("name")}>
          <Pencil className="size-4" aria-hidden />
          {say("rename")}
        </Button>
      )}
      <Button size="small" onClick={onMove}>
        <FolderInput className="size-4" aria-hidden />
        {say("move")}
      </Button>
      {only?.kind === "file" ? (
        <Button size="small" onClick={() => download(only, contents)}>
          <Download className="size-4" aria-hidden />
          {say("download")}
        </Button>
      ) : (
        <Button size="small" disabled={archive.pending} onClick={() => archive.run()}>
          <Download className="size-4" aria-hidden />
          {say("download-as-zip")}
        </Button>
      )}
      <HandOverChosen folder={folder} hrefs={hrefs} />
      <Button size="small" tone="oxblood" onClick={() => setAsking("remove")}>
        <Trash2 className="size-4" aria-hidden />
        {say("delete")}
      </Button>
      <Button size="small" onClick={onDone}>
        {say("choose-nothing")}
      </Button>
      {only && (
        <NameDialog
          open={asking === "name"}
          onOpenChange={(open) => !open && setAsking(null)}
          title={say("rename-2", { name: only.name })}
          action={say("rename-it")}
          initial={only.name}
          onName={(name) =>
            change.run(
              { kind: "move", moves: [{ href: only.href, to: childHref(parentHref(only.href), name) }] },
              onDone,
            )
          }
        />
      )}
      <Confirm
        open={asking === "remove"}
        onOpenChange={(open) => !open && setAsking(null)}
        title={say("delete-2", { what })}
        action={say("delete-3")}
        tone="oxblood"
        onConfirm={() => change.run({ kind: "remove", hrefs }, onDone)}
      >
        <p>{say("with-everything-in-it-as", { isSome: chosen.some(({ kind }) => kind === "dir") })}</p>
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
