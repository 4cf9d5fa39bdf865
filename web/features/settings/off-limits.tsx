"use client";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import type { OffLimitsView, SettingsView } from "@eremos/server/contract";
import { PathList } from "./path-list";
import { ApiError, api } from "@/lib/api";
import { KEYS } from "@/lib/queries";
import { Button } from "@/ui/button";
import { PathField } from "@/parts/folders/path-field";
import { Field } from "@/ui/field";
import { say } from "@eremos/words/page/settings";

/**
 * Places that can't be locked: each with its reason; the owner's own can be added, and what is not critical taken off.
 */
export function OffLimits({ settings }: { readonly settings: SettingsView }): ReactNode {
  const client = useQueryClient();
  const edits = settings.offLimitsEdits;
  const save = useMutation({
    mutationFn: (changed: OffLimitsView) => api.setOffLimits(changed),
    onSettled: () => client.invalidateQueries({ queryKey: KEYS.settings }),
  });
  const takeOff = (path: string): void => {
    const added = edits.added.filter((entry) => entry.path !== path);
    save.mutate(
      added.length < edits.added.length ? { ...edits, added } : { ...edits, removed: [...edits.removed, path] },
    );
  };
  const entries = settings.offLimits.map(({ path, reason, removable }) => ({ path, note: reason, removable }));
  const isOwn = ({ path }: { readonly path: string }): boolean => edits.added.some((entry) => entry.path === path);
  const [own, usual] = [entries.filter(isOwn), entries.filter((entry) => !isOwn(entry))];
  const isEdited = edits.added.length + edits.removed.length > 0;
  return (
    <section aria-labelledby="off-limits">
      <h2 id="off-limits" className="text-lg">
        {say("off-limits")}
      </h2>
      <p className="mt-1 text-sm text-mute">{say("places-that-cant-be-locked")}</p>
      {own.length > 0 && <PathList entries={own} pending={save.isPending} onTakeOff={takeOff} />}
      <details className="mt-2">
        <summary className="cursor-pointer text-sm font-medium text-dusk">
          {say("usual-off-limits", { count: usual.length })}
        </summary>
        <PathList entries={usual} pending={save.isPending} onTakeOff={takeOff} />
      </details>
      <AddForm
        pending={save.isPending}
        problem={
          save.error ? (save.error instanceof ApiError ? save.error.message : say("that-did-not-work-nothing")) : null
        }
        onAdd={(path, reason, done) =>
          save.mutate(
            { ...edits, added: [...edits.added.filter((entry) => entry.path !== path), { path, reason }] },
            { onSuccess: done },
          )
        }
      />
      {isEdited && (
        <Button
          size="small"
          className="mt-3"
          disabled={save.isPending}
          onClick={() => save.mutate({ added: [], removed: [] })}
        >
          {say("restore-defaults")}
        </Button>
      )}
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
    <form
      className="mt-3 flex flex-wrap items-start gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        onAdd(path.trim(), reason.trim(), () => {
          setPath("");
          setReason("");
        });
      }}
    >
      <PathField
        className="min-w-56 flex-1"
        label={say("another-path-or-pattern")}
        wants="any"
        path={path}
        onPath={setPath}
        note={say("full-path-stands-for-any")}
        problem={problem ?? (path !== "" && !isPath ? say("it-must-begin-with-slash") : null)}
      />
      <Field
        className="min-w-44 flex-1"
        label={say("why-optional")}
        autoComplete="off"
        maxLength={200}
        value={reason}
        onChange={(event) => setReason(event.target.value)}
      />
      <Button type="submit" className="mt-[26px] h-11" disabled={!isPath || pending}>
        {say("put-it-on-list")}
      </Button>
    </form>
  );
}
