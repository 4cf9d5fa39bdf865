"use client";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { toast } from "sonner";
import type { SettingsView } from "@eremos/server/contract";
import { useNewPassword } from "@/features/password/new-password";
import { ApiError, api } from "@/lib/api";
import { useCountdown } from "@/lib/countdown";
import { count, duration } from "@/lib/format";
import { KEYS } from "@/lib/queries";
import { Button } from "@/ui/button";
import { Dialog } from "@/ui/dialog";
import { PasswordField } from "@/ui/field";

/** The master password: its hint, the folders that still open with an earlier one, and another password. */
export function MasterPassword({ settings }: { readonly settings: SettingsView }): ReactNode {
  const [changing, setChanging] = useState(false);
  return (
    <section aria-labelledby="master-password">
      <h2 id="master-password" className="text-lg">Master password</h2>
      <p className="mt-1 text-sm text-mute">{settings.hint === null ? "It has no hint." : <>Hint at the gate: <span className="font-medium text-ink">{settings.hint}</span></>}</p>
      {settings.behind.length > 0 && (
        <div className="mt-2 rounded-xl bg-ochre-soft px-4 py-3 text-sm text-ochre">
          <p>{settings.behind.length === 1 ? "One folder was" : `${settings.behind.length} folders were`} out of reach when you changed it, and still opens with the earlier password. Sign in while it is there, and it is caught up.</p>
          <ul className="mt-1">{settings.behind.map((folder) => <li key={folder.id} className="truncate font-medium" title={folder.path}>{folder.path}</li>)}</ul>
        </div>
      )}
      <Button className="mt-3" onClick={() => setChanging(true)}>Change it…</Button>
      <Dialog open={changing} onOpenChange={setChanging} title="Change the master password" description="The recovery code stays as it is, and nothing is encrypted anew. Copies of folders made earlier go on opening with the present password.">
        {changing && <ChangeForm onDone={() => setChanging(false)} />}
      </Dialog>
    </section>
  );
}

function ChangeForm({ onDone }: { readonly onDone: () => void }): ReactNode {
  const client = useQueryClient();
  const [current, setCurrent] = useState("");
  const { chosen, fields } = useNewPassword("New master password");
  const [blockedUntil, setBlockedUntil] = useState(0);
  const wait = useCountdown(blockedUntil);
  const change = useMutation({
    mutationFn: () => api.changePassword(current, chosen.password, chosen.hint),
    onSuccess: ({ left }) => {
      toast(left.length === 0 ? "The master password is changed, in every folder." : `The master password is changed. ${count(left.length, "folder")} out of reach: see Settings.`, { duration: 9000 });
      onDone();
    },
    onError: (error) => {
      if (error instanceof ApiError && typeof error.data["waitMs"] === "number") setBlockedUntil(Date.now() + error.data["waitMs"]);
    },
    onSettled: () => client.invalidateQueries({ queryKey: KEYS.settings }),
  });
  const problem = change.error ? (change.error instanceof ApiError ? change.error.message : "That did not work. Nothing was changed; try again.") : null;
  return (
    <form className="mt-5 space-y-4" onSubmit={(event) => {
      event.preventDefault();
      change.mutate();
    }}>
      <PasswordField label="Present master password" autoFocus autoComplete="current-password" value={current} onChange={(event) => setCurrent(event.target.value)} />
      {fields}
      {problem && <p role="alert" className="rounded-lg bg-oxblood-soft px-3 py-2 text-sm text-oxblood">{problem}</p>}
      <div className="flex justify-end gap-2">
        <Button type="button" onClick={onDone}>Not now</Button>
        <Button tone="dusk" type="submit" disabled={!chosen.ready || current === "" || change.isPending || wait > 0}>{change.isPending ? "One moment…" : wait > 0 ? `Wait ${duration(wait / 1000)}` : "Change it"}</Button>
      </div>
    </form>
  );
}
