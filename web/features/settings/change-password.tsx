"use client";
import { type ReactNode, useState } from "react";
import { toast } from "sonner";
import type { SettingsView } from "@eremos/server/contract";
import { Behind } from "@/parts/secrets/behind";
import { AT_THE_GATE, useNewPassword } from "@/parts/secrets/new-password";
import { api } from "@/lib/api";
import { useGuarded } from "@/lib/guarded";
import { Button } from "@/ui/button";
import { Dialog } from "@/ui/dialog";
import { PasswordField } from "@/ui/field";
import { say } from "@eremos/words/page/settings";

/** The master password: its hint, the folders that still open with an earlier one, and another password. */
export function MasterPassword({ settings }: { readonly settings: SettingsView }): ReactNode {
  const [changing, setChanging] = useState(false);
  return (
    <section aria-labelledby="master-password">
      <h2 id="master-password" className="text-lg">
        {say("master-password")}
      </h2>
      <p className="mt-1 text-sm text-mute">
        {settings.hint === null ? (
          say("it-has-no-hint")
        ) : (
          <>
            {say("hint-at-gate")} <span className="font-medium text-ink">{settings.hint}</span>
          </>
        )}
      </p>
      <Behind folders={settings.behind} />
      <Button className="mt-3" onClick={() => setChanging(true)}>
        {say("change-it")}
      </Button>
      <Dialog
        open={changing}
        onOpenChange={setChanging}
        title={say("change-master-password")}
        description={say("recovery-code-stays-as-it")}
      >
        {changing && <ChangeForm onDone={() => setChanging(false)} />}
      </Dialog>
    </section>
  );
}

function ChangeForm({ onDone }: { readonly onDone: () => void }): ReactNode {
  const [current, setCurrent] = useState("");
  const { chosen, fields } = useNewPassword({
    label: say("new-master-password"),
    hintNote: say("left-empty-one-you-have", { atTheGate: AT_THE_GATE }),
  });
  const change = useGuarded(
    () => api.changePassword(current, chosen.password, chosen.hint),
    ({ left }) => {
      toast(
        left.length === 0
          ? say("master-password-is-changed-in")
          : say("master-password-is-changed-folders", { left: left.length }),
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
        label={say("present-master-password")}
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
          {say("not-now")}
        </Button>
        <Button tone="dusk" type="submit" disabled={!chosen.ready || current === "" || change.isBlocked}>
          {change.label(say("change-it-2"))}
        </Button>
      </div>
    </form>
  );
}
