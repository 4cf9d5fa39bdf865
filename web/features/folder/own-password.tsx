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

type Change = "set" | "take-off";

/** A password for this folder alone: set, changed or taken off, whether it is locked or open. */
export function OwnPassword({ folder }: { readonly folder: FolderView }): ReactNode {
  const [changing, setChanging] = useState<Change | null>(null);
  if (!isEncrypting(folder) || (folder.state !== "locked" && folder.state !== "open")) return null;
  return (
    <section aria-labelledby="own-password">
      <h2 id="own-password" className="text-lg">
        A password of its own
      </h2>
      <div className="mt-2 flex flex-wrap items-center justify-between gap-3 rounded-xl border border-line bg-sheet px-4 py-3">
        <p className="min-w-0 flex-1 text-sm">
          {folder.hasPassword ? (
            <>
              It opens only with the master password and its own together, or with the recovery code.
              {folder.passwordHint !== null && <span className="text-mute"> Hint: {folder.passwordHint}</span>}
            </>
          ) : (
            "None: whoever is signed in can open it. With one, it stays closed to somebody who finds you signed in."
          )}
        </p>
        <span className="flex gap-2">
          {folder.hasPassword && (
            <Button size="small" onClick={() => setChanging("take-off")}>
              Take it off…
            </Button>
          )}
          <Button size="small" onClick={() => setChanging("set")}>
            {folder.hasPassword ? "Change it…" : "Set one…"}
          </Button>
        </span>
      </div>
      <Dialog
        open={changing !== null}
        onOpenChange={(open) => !open && setChanging(null)}
        title={changing === "take-off" ? "Take the folder\u2019s password off" : `A password for ${folder.name}`}
        description="Nothing is encrypted anew. Copies of the folder made earlier go on opening as they did."
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
    label: "New password of this folder",
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
          ? `${folder.name} needs its own password from now on.`
          : `${folder.name} opens with the master password alone now.`,
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
        <Button onClick={onDone}>Not now</Button>
        <Button tone="dusk" type="submit" disabled={!isReady || save.isBlocked}>
          {save.label(isSetting ? "Set it" : "Take it off")}
        </Button>
      </div>
    </form>
  );
}
