"use client";
import { type ReactNode, useState } from "react";
import { toast } from "sonner";
import type { SettingsView } from "@eremos/server/contract";
import { Behind } from "@/parts/secrets/behind";
import { AT_THE_GATE, useNewPassword } from "@/parts/secrets/new-password";
import { api } from "@/lib/api";
import { count } from "@/lib/format";
import { useGuarded } from "@/lib/guarded";
import { Button } from "@/ui/button";
import { Dialog } from "@/ui/dialog";
import { PasswordField } from "@/ui/field";

/** The master password: its hint, the folders that still open with an earlier one, and another password. */
export function MasterPassword({ settings }: { readonly settings: SettingsView }): ReactNode {
  const [changing, setChanging] = useState(false);
  return (
    <section aria-labelledby="master-password">
      <h2 id="master-password" className="text-lg">
        Master password
      </h2>
      <p className="mt-1 text-sm text-mute">
        {settings.hint === null ? (
          "It has no hint."
        ) : (
          <>
            Hint at the gate: <span className="font-medium text-ink">{settings.hint}</span>
          </>
        )}
      </p>
      <Behind folders={settings.behind} />
      <Button className="mt-3" onClick={() => setChanging(true)}>
        Change it…
      </Button>
      <Dialog
        open={changing}
        onOpenChange={setChanging}
        title="Change the master password"
        description="The recovery code stays as it is, and nothing is encrypted anew. Copies of folders made earlier go on opening with the present password."
      >
        {changing && <ChangeForm onDone={() => setChanging(false)} />}
      </Dialog>
    </section>
  );
}

function ChangeForm({ onDone }: { readonly onDone: () => void }): ReactNode {
  const [current, setCurrent] = useState("");
  const { chosen, fields } = useNewPassword({
    label: "New master password",
    hintNote: `${AT_THE_GATE} Left empty, the one you have stays.`,
  });
  const change = useGuarded(
    () => api.changePassword(current, chosen.password, chosen.hint),
    ({ left }) => {
      toast(
        left.length === 0
          ? "The master password is changed, in every folder."
          : `The master password is changed. ${count(left.length, "folder")} out of reach, named on this page: the old one still opens ${left.length === 1 ? "it" : "them"}.`,
        { duration: 9000 },
      );
      onDone();
    },
  );
  return (
    <form
      className="mt-5 space-y-4"
      onSubmit={(event) => {
        event.preventDefault();
        change.run(undefined);
      }}
    >
      <PasswordField
        label="Present master password"
        autoFocus
        autoComplete="current-password"
        value={current}
        onChange={(event) => setCurrent(event.target.value)}
      />
      {fields}
      {change.problem && (
        <p role="alert" className="rounded-lg bg-oxblood-soft px-3 py-2 text-sm text-oxblood">
          {change.problem}
        </p>
      )}
      <div className="flex justify-end gap-2">
        <Button type="button" onClick={onDone}>
          Not now
        </Button>
        <Button tone="dusk" type="submit" disabled={!chosen.ready || current === "" || change.isBlocked}>
          {change.label("Change it")}
        </Button>
      </div>
    </form>
  );
}
