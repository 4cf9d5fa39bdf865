"use client";
import { type ReactNode, useState } from "react";
import { toast } from "sonner";
import type { BackSecret, FoundFolder, SignedIn, TakenIn } from "@eremos/server/contract";
import { AT_THE_GATE, useNewPassword } from "@/parts/secrets/new-password";
import { BackSecretField, NO_SECRET, isMissing } from "@/parts/secrets/back-secret";
import { ScanPanel } from "./scan-panel";
import { api } from "@/lib/api";
import { useGuarded } from "@/lib/guarded";
import { Button } from "@/ui/button";
import { PasswordField } from "@/ui/field";
import { say } from "@eremos/words/page/returning";

interface ReturnOwnerProps {
  readonly onDone: (signedIn: SignedIn) => void;
  readonly onBack: () => void;
}

/** Eremos was removed, or this is another computer: the folders are found, and tell whose they are. */
export function ReturnOwner({ onDone, onBack }: ReturnOwnerProps): ReactNode {
  const [chosen, setChosen] = useState<FoundFolder | null>(null);
  if (chosen) return <Open found={chosen} onDone={onDone} onBack={() => setChosen(null)} />;
  return (
    <>
      <h1 className="text-3xl">{say("find-your-folders")}</h1>
      <p className="mt-2 mb-6 text-mute">{say("eremos-looks-for-what-it")}</p>
      <ScanPanel
        isFirst
        action={(found) =>
          found.owner === null ? null : (
            <Button size="small" onClick={() => setChosen(found)}>
              {say("this-is-mine")}
            </Button>
          )
        }
      />
      <div className="mt-6">
        <Button onClick={onBack}>{say("back")}</Button>
      </div>
    </>
  );
}

function Open({ found, onDone, onBack }: ReturnOwnerProps & { readonly found: FoundFolder }): ReactNode {
  const [password, setPassword] = useState("");
  /** Null: by the password. */
  const [back, setBack] = useState<BackSecret | null>(null);
  const { chosen, fields } = useNewPassword({ label: say("new-master-password"), hintNote: AT_THE_GATE });
  const open = useGuarded(
    () =>
      back
        ? api.returnOwner(found.path, back, chosen.password, chosen.hint)
        : api.returnOwner(found.path, { kind: "password", password }, null, null),
    (result) => {
      tell(result);
      onDone(result);
    },
  );
  return (
    <form
      className="space-y-5"
      onSubmit={(event) => {
        event.preventDefault();
        open.run(undefined);
      }}
    >
      <header>
        <h1 className="text-3xl">{say("what-opens-it")}</h1>
        <p className="mt-2 break-all text-mute">{found.path}</p>
      </header>
      {back ? (
        <>
          <BackSecretField autoFocus at={found.path} secret={back} onSecret={setBack} problem={open.problem} />
          {fields}
        </>
      ) : (
        <PasswordField
          label={say("master-password-you-had")}
          autoFocus
          autoComplete="current-password"
          value={password}
          onChange={(event) => setPassword(event.target.value)}
          problem={open.problem}
        />
      )}
      <button
        type="button"
        className="text-sm font-medium text-dusk underline underline-offset-4"
        onClick={() => setBack(back ? null : NO_SECRET)}
      >
        {back ? say("use-master-password") : say("i-have-forgotten-it-use")}
      </button>
      <div className="flex gap-2">
        <Button size="large" onClick={onBack}>
          {say("back")}
        </Button>
        <Button
          tone="dusk"
          size="large"
          type="submit"
          className="flex-1"
          disabled={(back ? isMissing(back) || !chosen.ready : password === "") || open.isBlocked}
        >
          {open.label(say("bring-my-folders-back"))}
        </Button>
      </div>
    </form>
  );
}

export function tell({ taken, left }: TakenIn): void {
  if (taken.length > 0) toast.success(say("folders-are-in-your-list", { taken: taken.length }), { duration: 10_000 });
  for (const { path, reason } of left) toast.warning(`${path}: ${reason}`, { duration: 20_000 });
}
