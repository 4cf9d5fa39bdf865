"use client";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { toast } from "sonner";
import type { ActivityPage, ExportFormat, KeepHistory } from "@eremos/server/contract";
import { type Sought, filterOf } from "@/parts/activity/sought";
import { Button } from "@/ui/button";
import { Confirm, Dialog } from "@/ui/dialog";
import { Field } from "@/ui/field";
import { Select } from "@/ui/select";
import { api } from "@/lib/api";
import { KEYS, showError } from "@/lib/queries";
import { say } from "@eremos/words/page/activity";

interface KeepingProps {
  readonly open: boolean;
  readonly onOpenChange: (open: boolean) => void;
  readonly sought: Sought;
  readonly shown: ActivityPage | undefined;
}

/** How long the history is kept, a readable copy of it, and how it goes. */
export function Keeping({ open, onOpenChange, sought, shown }: KeepingProps): ReactNode {
  return (
    <Dialog open={open} onOpenChange={onOpenChange} title={say("keeping-title")} description={say("keeping-text")}>
      <div className="mt-5 space-y-6">
        <KeepFor />
        <Export sought={sought} total={shown?.total ?? 0} />
        <Clear folder={shown?.folders.find(({ id }) => id === sought.folder) ?? null} />
      </div>
    </Dialog>
  );
}

const FOR_DAYS = [30, 90, 365] as const;

function KeepFor(): ReactNode {
  const client = useQueryClient();
  const keep = useQuery({ queryKey: KEYS.settings, queryFn: api.settings }).data?.preferences.keepHistory;
  const save = useMutation({
    mutationFn: api.keepHistory,
    onError: showError,
    onSettled: () => client.invalidateQueries({ queryKey: KEYS.settings }),
  });
  if (keep === undefined) return null;
  const days = [...new Set([...FOR_DAYS, ...(typeof keep === "number" ? [keep] : [])])].sort((a, b) => a - b);
  return (
    <div>
      <Select
        label={say("keep-for")}
        className="max-w-64"
        value={String(keep)}
        disabled={save.isPending}
        choices={[
          ["for-good", say("for-good")],
          ...days.map((count) => [String(count), say("for-days", { days: count })] as const),
          ["off", say("off")],
        ]}
        onChoose={(chosen) => save.mutate(keepOf(chosen))}
      />
      <p className="mt-1.5 text-[13px] text-mute">{say(`keep-note-${typeof keep === "number" ? "days" : keep}`)}</p>
    </div>
  );
}

function keepOf(chosen: string): KeepHistory {
  return chosen === "off" || chosen === "for-good" ? chosen : Number(chosen);
}

function Export({ sought, total }: { readonly sought: Sought; readonly total: number }): ReactNode {
  const [place, setPlace] = useState("");
  const write = useMutation({
    mutationFn: (format: ExportFormat) =>
      api.exportHistory(format, filterOf(sought), place.trim() === "" ? null : place),
  });
  return (
    <section aria-labelledby="export">
      <h3 id="export" className="text-base">
        {say("export")}
      </h3>
      <p className="mt-1 mb-3 text-sm text-mute">{say("export-text", { total })}</p>
      <Field
        label={say("export-where")}
        value={place}
        onChange={(event) => setPlace(event.target.value)}
        note={say("export-where-note")}
        problem={write.error?.message ?? null}
      />
      <div className="mt-3 flex flex-wrap gap-2">
        <Button disabled={write.isPending || total === 0} onClick={() => write.mutate("csv")}>
          {say("export-csv")}
        </Button>
        <Button disabled={write.isPending || total === 0} onClick={() => write.mutate("json")}>
          {say("export-json")}
        </Button>
      </div>
      <p role="status" className="mt-2 text-sm break-words text-dusk">
        {write.data && say("exported", { entries: write.data.entries, path: write.data.path })}
      </p>
    </section>
  );
}

/** `folder`: the one that is looked for. */
function Clear({ folder }: { readonly folder: ActivityPage["folders"][number] | null }): ReactNode {
  const [asks, setAsks] = useState<"all" | "folder" | null>(null);
  const isOne = asks === "folder";
  const clear = useMutation({
    mutationFn: (of: string | null) => api.clearHistory(of),
    onSuccess: ({ cleared }) => toast(say("cleared-now", { cleared })),
    onError: showError,
  });
  return (
    <section aria-labelledby="clear" className="border-t border-line pt-4">
      <h3 id="clear" className="mb-2 text-base">
        {say("clear")}
      </h3>
      <div className="flex flex-wrap gap-2">
        {folder && (
          <Button tone="oxblood" disabled={clear.isPending} onClick={() => setAsks("folder")}>
            {say("clear-folder", { name: folder.name })}
          </Button>
        )}
        <Button tone="oxblood" disabled={clear.isPending} onClick={() => setAsks("all")}>
          {say("clear-all")}
        </Button>
      </div>
      <Confirm
        open={asks !== null}
        onOpenChange={(open) => !open && setAsks(null)}
        title={say("clear-title", { isOne, name: folder?.name ?? "" })}
        action={say("clear")}
        tone="oxblood"
        onConfirm={() => clear.mutate(isOne ? (folder?.id ?? "") : null)}
      >
        <p>{say("clear-text", { isOne, name: folder?.name ?? "" })}</p>
      </Confirm>
    </section>
  );
}
