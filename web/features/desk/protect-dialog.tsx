"use client";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { type ReactNode, useId, useState } from "react";
import type { PlanView, Visibility } from "@eremos/server/contract";
import { VisibilityChoice } from "./visibility-choice";
import { Button } from "@/ui/button";
import { Dialog } from "@/ui/dialog";
import { useSelection } from "@/features/shell/selection";
import { ApiError, api } from "@/lib/api";
import { baseName, count, formatBytes, parentOf } from "@/lib/format";
import { useVerb } from "@/lib/queries";

export function ProtectDialog(): ReactNode {
  const { protecting, protect } = useSelection();
  return (
    <Dialog open={protecting !== null} onOpenChange={(open) => !open && protect(null)} title={protecting ? `Protect ${baseName(protecting)}` : "Protect a folder"} description="Its files and their names are encrypted where they are. Only your master password or your recovery code opens them.">
      {protecting !== null && <ProtectForm key={protecting} start={protecting} />}
    </Dialog>
  );
}

function ProtectForm({ start }: { readonly start: string }): ReactNode {
  const { protect, select } = useSelection();
  const [path, setPath] = useState(start);
  const [visibility, setVisibility] = useState<Visibility>("hidden");
  const [anyway, setAnyway] = useState(false);
  const lock = useVerb((...args: Parameters<typeof api.lock>) => api.lock(...args));
  const plan = useQuery({ queryKey: ["plan", path, visibility], queryFn: () => api.plan(path, visibility), enabled: path.trim() !== "", retry: false, gcTime: 0, staleTime: 0, placeholderData: keepPreviousData });
  const current = plan.data && path.trim() !== "" ? plan.data : null;
  const ready = current !== null && current.refusal === null && !plan.isFetching;
  return (
    <form className="mt-5 space-y-5" onSubmit={(event) => {
      event.preventDefault();
      if (!ready) return;
      lock.run(current.path, visibility, anyway);
      select(current.path);
      protect(null);
    }}>
      <PathInput path={path} onPath={setPath} />
      <Plan plan={current} problem={plan.error} empty={path.trim() === ""} />
      <VisibilityChoice value={visibility} onChoose={setVisibility} />
      {current && current.holders.length > 0 && (
        <label className="flex gap-2 rounded-lg bg-ochre-soft px-3 py-2 text-[13px] text-ochre">
          <input type="checkbox" checked={anyway} onChange={(event) => setAnyway(event.target.checked)} className="mt-0.5 accent-current" />
          <span>{current.holders.join(", ")} has files of this folder open. Better close them first; tick this to lock all the same.</span>
        </label>
      )}
      <div className="flex justify-end gap-2">
        <Button onClick={() => protect(null)}>Not now</Button>
        <Button tone="dusk" type="submit" disabled={!ready || lock.pending}>{current?.refusal === null && current.name ? `Lock ${current.name}` : "Lock it"}</Button>
      </div>
    </form>
  );
}

function PathInput({ path, onPath }: { readonly path: string; readonly onPath: (path: string) => void }): ReactNode {
  const id = useId();
  const completions = useQuery({ queryKey: ["complete", path], queryFn: () => api.completePath(path), gcTime: 0, placeholderData: keepPreviousData }).data ?? [];
  return (
    <div>
      <label htmlFor={id} className="mb-1.5 block text-sm font-semibold">Folder</label>
      <input id={id} list={`${id}-list`} value={path} onChange={(event) => onPath(event.target.value)} placeholder="Type or paste its path" autoComplete="off" spellCheck={false} autoFocus={path === ""}
        className="h-11 w-full rounded-lg border border-line-strong/70 bg-sheet px-3 text-[15px] placeholder:text-mute/80" />
      <datalist id={`${id}-list`}>{completions.map((completion) => <option key={completion} value={completion} />)}</datalist>
    </div>
  );
}

function Plan({ plan, problem, empty }: { readonly plan: PlanView | null; readonly problem: Error | null; readonly empty: boolean }): ReactNode {
  if (empty) return <p className="text-sm text-mute">Or choose it under Places first.</p>;
  if (problem) return <p role="alert" className="rounded-lg bg-oxblood-soft px-3 py-2 text-sm text-oxblood">{problem instanceof ApiError ? problem.message : "The folder could not be looked at. Nothing was touched."}</p>;
  if (!plan) return <p className="text-sm text-mute">Looking…</p>;
  if (plan.refusal) return <p role="alert" className="rounded-lg bg-oxblood-soft px-3 py-2 text-sm text-oxblood">{plan.refusal.message}</p>;
  return (
    <div className="text-sm text-mute">
      <p>{count(plan.files, "file")}, {formatBytes(plan.bytes)}, in {baseName(parentOf(plan.path))}. {plan.strategy === "whole" ? "Until everything is encrypted and checked, the readable copy stays." : "There is no room for a second copy, so it goes file by file: each file is whole at every moment, and the rest stays readable until its turn."}</p>
      {plan.outsideLinks.length > 0 && <p className="mt-1 text-ochre">{count(plan.outsideLinks.length, "file")} in it also {plan.outsideLinks.length === 1 ? "has a name" : "have names"} outside the folder (hard links). Those stay readable there.</p>}
    </div>
  );
}
