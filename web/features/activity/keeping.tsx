"use client";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { toast } from "sonner";
import type { ActivityPage, ExportFormat } from "@eremos/server/contract";
import { EVERYTHING, type Sought, filterOf } from "@/parts/activity/sought";
import { Button } from "@/ui/button";
import { Confirm, Dialog } from "@/ui/dialog";
import { Field } from "@/ui/field";
import { Select } from "@/ui/select";
import { SmallField } from "@/ui/small-field";
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

const USUAL_DAYS = 90;
const MOST_DAYS = 3650;
const DAY_MS = 24 * 3_600_000;

function KeepFor(): ReactNode {
  const client = useQueryClient();
  const keep = useQuery({ queryKey: KEYS.settings, queryFn: api.settings }).data?.preferences.keepHistory;
  const save = useMutation({
    mutationFn: api.keepHistory,
    onError: showError,
    onSettled: () => client.invalidateQueries({ queryKey: KEYS.settings }),
  });
  const [times, setTimes] = useState(0);
  const [asked, setAsked] = useState<{ readonly days: number; readonly older: number } | null>(null);
  /** What would go is said first. */
  const shorten = useMutation({
    mutationFn: async (days: number) => {
      const filter = { ...filterOf(EVERYTHING), until: Date.now() - days * DAY_MS };
      return { days, older: (await api.activity(filter, 0, 1)).total };
    },
    onSuccess: (found) => (found.older === 0 ? save.mutate(found.days) : setAsked(found)),
    onError: showError,
  });
  if (keep === undefined) return null;
  const kept = typeof keep === "number" ? "days" : keep;
  return (
    <div>
      <div className="flex flex-wrap items-end gap-3">
        <Select
          label={say("keep-for")}
          className="w-52"
          value={kept}
          // What was chosen before is not to come last.
          disabled={save.isPending || shorten.isPending}
          choices={[
            ["for-good", say("for-good")],
            ["days", say("for-some-days")],
            ["off", say("off")],
          ]}
          onChoose={(chosen) => (chosen === "days" ? shorten.mutate(USUAL_DAYS) : save.mutate(chosen))}
        />
        {typeof keep === "number" && (
          <Days key={`${keep} ${times}`} days={keep} onChoose={(days) => shorten.mutate(days)} />
        )}
      </div>
      <p className="mt-1.5 text-[13px] text-mute">{say(`keep-note-${kept}`)}</p>
      <Confirm
        open={asked !== null}
        onOpenChange={(open) => {
          if (open) return;
          setAsked(null);
          // What was typed and not wanted after all goes.
          setTimes(times + 1);
        }}
        title={say("shorten-title", { days: asked?.days ?? 0 })}
        action={say("shorten")}
        tone="oxblood"
        onConfirm={() => asked && save.mutate(asked.days)}
      >
        <p>{say("shorten-text", { older: asked?.older ?? 0 })}</p>
      </Confirm>
    </div>
  );
}

/** So many days: what is older goes at once, so they count when the field is left. */
function Days({ days, onChoose }: { readonly days: number; readonly onChoose: (days: number) => void }): ReactNode {
  const [typed, setTyped] = useState(String(days));
  const choose = (): void => {
    const chosen = Number(typed);
    if (!Number.isInteger(chosen) || chosen < 1 || chosen > MOST_DAYS) setTyped(String(days));
    else if (chosen !== days) onChoose(chosen);
  };
  return (
    <SmallField
      className="w-24"
      label={say("days")}
      type="number"
      min={1}
      max={MOST_DAYS}
      value={typed}
      onChange={setTyped}
      onBlur={choose}
      onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
    />
  );
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
