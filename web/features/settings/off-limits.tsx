"use client";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { X } from "lucide-react";
import { type ReactNode, useState } from "react";
import type { OffLimitsView, SettingsView } from "@eremos/server/contract";
import { ApiError, api } from "@/lib/api";
import { KEYS } from "@/lib/queries";
import { Button } from "@/ui/button";
import { Field } from "@/ui/field";

/** Places that can't be locked: each with its reason; the owner's own can be added, and what is not critical taken off. */
export function OffLimits({ settings }: { readonly settings: SettingsView }): ReactNode {
  const client = useQueryClient();
  const edits = settings.offLimitsEdits;
  const save = useMutation({ mutationFn: (changed: OffLimitsView) => api.setOffLimits(changed), onSettled: () => client.invalidateQueries({ queryKey: KEYS.settings }) });
  const takeOff = (path: string): void => {
    const added = edits.added.filter((entry) => entry.path !== path);
    save.mutate(added.length < edits.added.length ? { ...edits, added } : { ...edits, removed: [...edits.removed, path] });
  };
  const isEdited = edits.added.length + edits.removed.length > 0;
  return (
    <section aria-labelledby="off-limits">
      <h2 id="off-limits" className="text-lg">Off-limits</h2>
      <p className="mt-1 text-sm text-mute">Places that can&rsquo;t be locked, because the system or Eremos needs them, or because you said so. Folders that are locked already stay as they are.</p>
      <ul className="mt-2 divide-y divide-line rounded-xl border border-line bg-sheet text-sm">
        {settings.offLimits.map((limit) => (
          <li key={limit.path} className="grid min-h-11 grid-cols-[minmax(0,1fr)_36px] items-center gap-x-4 px-4 py-1 sm:grid-cols-[minmax(0,1fr)_minmax(0,1fr)_36px]">
            <span className="truncate font-medium" title={limit.path}>{limit.path}</span>
            <span className="row-start-2 text-mute sm:row-start-auto">{limit.reason}</span>
            {limit.removable && (
              <button type="button" onClick={() => takeOff(limit.path)} disabled={save.isPending} aria-label={`Take ${limit.path} off the list`} title="Take it off the list" className="grid size-9 place-items-center rounded-md text-mute hover:bg-sand hover:text-ink">
                <X className="size-4" aria-hidden />
              </button>
            )}
          </li>
        ))}
      </ul>
      <AddForm pending={save.isPending} problem={save.error ? (save.error instanceof ApiError ? save.error.message : "That did not work. Nothing was changed.") : null} onAdd={(path, reason, done) => save.mutate({ ...edits, added: [...edits.added.filter((entry) => entry.path !== path), { path, reason }] }, { onSuccess: done })} />
      {isEdited && <Button size="small" className="mt-3" disabled={save.isPending} onClick={() => save.mutate({ added: [], removed: [] })}>Restore the defaults</Button>}
    </section>
  );
}

interface AddFormProps {
  readonly pending: boolean;
  readonly problem: string | null;
  readonly onAdd: (path: string, reason: string, done: () => void) => void;
}

function AddForm({ pending, problem, onAdd }: AddFormProps): ReactNode {
  const [path, setPath] = useState("");
  const [reason, setReason] = useState("");
  const isPath = path.trim().startsWith("/");
  return (
    <form className="mt-3 flex flex-wrap items-start gap-2" onSubmit={(event) => {
      event.preventDefault();
      onAdd(path.trim(), reason.trim(), () => {
        setPath("");
        setReason("");
      });
    }}>
      <Field className="min-w-56 flex-1" label="Another path or pattern" autoComplete="off" spellCheck={false} value={path} onChange={(event) => setPath(event.target.value)} note="A full path; * stands for any name, ** for any path." problem={problem ?? (path !== "" && !isPath ? "It must begin with a slash." : null)} />
      <Field className="min-w-44 flex-1" label="Why (optional)" autoComplete="off" maxLength={200} value={reason} onChange={(event) => setReason(event.target.value)} />
      <Button type="submit" className="mt-7 h-11" disabled={!isPath || pending}>Put it on the list</Button>
    </form>
  );
}
