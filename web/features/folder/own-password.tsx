"use client";
import { isEncrypting } from "@eremos/core/guards";
import { type ReactNode, useState } from "react";
import { toast } from "sonner";
import type { FolderSecret, FolderView } from "@eremos/server/contract";
import { SecretField, isEmpty } from "@/parts/secrets/ask-secret";
import { IN_THE_FOLDER, useNewPassword } from "@/parts/secrets/new-password";
import { api } from "@/lib/api";
import { useGuarded } from "@/lib/guarded";
import { Button } from "@/ui/button";
import { Dialog } from "@/ui/dialog";
import { say } from "@eremos/words/page/folder";

type Change = "set" | "take-off";

/** A password for this folder alone: set, changed or taken off, whether it is locked or open. */
export function OwnPassword({ folder }: { readonly folder: FolderView }): ReactNode {
  const [changing, setChanging] = useState<Change | null>(null);
  if (!isEncrypting(folder) || (folder.state !== "locked" && folder.state !== "open")) return null;
  return (
    <section aria-labelledby="own-password">
      <h2 id="own-password" className="text-lg">
        {say("password-its-own")}
      </h2>
      <div className="mt-2 flex flex-wrap items-center justify-between gap-3 rounded-xl border border-line bg-sheet px-4 py-3">
        <p className="min-w-0 flex-1 text-sm">
          {folder.hasPassword ? (
            <>
              {say("it-opens-only-with-master")}
              {folder.passwordHint !== null && (
                <span className="text-mute"> {say("hint", { passwordHint: folder.passwordHint })}</span>
              )}
            </>
          ) : (
            say("none-whoever-is-signed-in")
          )}
        </p>
        <span className="flex gap-2">
          {folder.hasPassword && (
            <Button size="small" onClick={() => setChanging("take-off")}>
              {say("take-it-off-2")}
            </Button>
          )}
          <Button size="small" onClick={() => setChanging("set")}>
            {folder.hasPassword ? say("change-it-2") : say("set-one")}
          </Button>
        </span>
      </div>
      <Dialog
        open={changing !== null}
        onOpenChange={(open) => !open && setChanging(null)}
        title={changing === "take-off" ? say("take-folders-password-off") : say("password-for", { name: folder.name })}
        description={say("nothing-is-encrypted-anew-copies")}
      >
        {changing && <ChangeForm folder={folder} change={changing} onDone={() => setChanging(null)} />}
      </Dialog>
    </section>
  );
}

function ChangeForm({
  folder,
  change,
  onDone,
}: {
  readonly folder: FolderView;
  readonly change: Change;
  readonly onDone: () => void;
}): ReactNode {
  const [secret, setSecret] = useState<FolderSecret>({ kind: "password", password: "" });
  const { chosen, fields } = useNewPassword({
    label: say("new-password-this-folder"),
    hintNote: IN_THE_FOLDER,
    autoFocus: !folder.hasPassword,
  });
  const isSetting = change === "set";
  const save = useGuarded(
    () =>
      api.setFolderPassword(
        folder.id,
        folder.hasPassword ? secret : null,
        isSetting ? { password: chosen.password, hint: chosen.hint } : null,
      ),
    () => {
      toast(
        isSetting
          ? say("needs-its-own-password-from", { name: folder.name })
          : say("opens-with-master-password-alone", { name: folder.name }),
      );
      onDone();
    },
  );
  const isReady = (!isSetting || chosen.ready) && (!folder.hasPassword || !isEmpty(secret));
  return (
    <form
      className="mt-5 space-y-4"
      onSubmit={(event) => {
        event.preventDefault();
        save.run(undefined);
      }}
    >
      {folder.hasPassword && <SecretField folder={folder} secret={secret} onSecret={setSecret} problem={null} />}
      {isSetting && fields}
      {save.problem && (
        <p role="alert" className="rounded-lg bg-oxblood-soft px-3 py-2 text-sm text-oxblood">
          {save.problem}
        </p>
      )}
      <div className="flex justify-end gap-2">
        <Button onClick={onDone}>{say("not-now")}</Button>
        <Button tone="dusk" type="submit" disabled={!isReady || save.isBlocked}>
          {save.label(isSetting ? say("set-it") : say("take-it-off"))}
        </Button>
      </div>
    </form>
  );
}
