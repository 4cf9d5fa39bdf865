"use client";
import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useId, useState } from "react";
import { Differences } from "@/parts/compare/differences";
import type { useChange } from "./use-visit";
import { api } from "@/lib/api";
import { ago, exactTime, formatBytes, isLongAgo } from "@/lib/format";
import { KEYS } from "@/lib/queries";
import { Dialog } from "@/ui/dialog";
import { say } from "@eremos/words/page/visit";

interface EarlierProps {
  readonly folder: string;
  readonly change: ReturnType<typeof useChange>;
  readonly open: boolean;
  readonly onOpenChange: (open: boolean) => void;
}

/** What changed since an earlier state, and the way back to it: per entry, or whole. */
export function EarlierDialog(props: EarlierProps): ReactNode {
  return (
    <Dialog
      open={props.open}
      onOpenChange={props.onOpenChange}
      title={say("as-it-was-before")}
      description={say("earlier-states-folder-that-are")}
    >
      {props.open && <States {...props} />}
    </Dialog>
  );
}

function States({ folder, change }: EarlierProps): ReactNode {
  const states = useQuery({
    queryKey: [...KEYS.visit(folder), "earlier"],
    queryFn: () => api.visit(folder, { kind: "earlier" }),
    staleTime: 0,
  }).data?.earlier;
  const [picked, setPicked] = useState<number | null>(null);
  const id = useId();
  const generation = picked ?? states?.[0]?.generation;
  if (!states) return null;
  if (generation === undefined) return <p className="mt-5 text-sm text-mute">{say("no-earlier-state-is-kept")}</p>;
  return (
    <div className="mt-5 space-y-3">
      <label htmlFor={id} className="block text-sm font-semibold">
        {say("state")}
      </label>
      <select
        id={id}
        value={generation}
        onChange={(event) => setPicked(Number(event.target.value))}
        className="h-10 w-full rounded-lg border border-line bg-sheet px-2.5 text-sm"
      >
        {states.map((state) => (
          <option key={state.generation} value={state.generation}>
            {exactTime(state.at)}
            {isLongAgo(state.at) ? "" : `, ${ago(state.at)}`}
          </option>
        ))}
      </select>
      {states
        .filter((state) => state.generation === generation)
        .map((state) => (
          <p key={state.generation} className="text-[13px] text-mute">
            {say("files-keeping-it-takes-disk", {
              files: state.files,
              bytes: formatBytes(state.bytes),
              ownBytes: formatBytes(state.ownBytes),
            })}
          </p>
        ))}
      <Changes key={generation} folder={folder} generation={generation} change={change} />
    </div>
  );
}

function Changes({
  folder,
  generation,
  change,
}: Pick<EarlierProps, "folder" | "change"> & { readonly generation: number }): ReactNode {
  const { data } = useQuery({
    queryKey: [...KEYS.visit(folder), "changes", generation],
    queryFn: () => api.visit(folder, { kind: "changes-since", generation }),
    staleTime: 0,
  });
  if (!data) return null;
  return (
    <Differences
      {...data}
      disabled={change.pending}
      onPutBack={(entries) =>
        change.run({ kind: "put-back", generation, hrefs: entries?.map(({ href }) => href) ?? null })
      }
    />
  );
}
