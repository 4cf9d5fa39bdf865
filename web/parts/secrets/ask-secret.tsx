"use client";
import { type ReactNode, useState } from "react";
import type { FolderSecret, FolderView } from "@eremos/server/contract";
import { BackSecretField, NO_SECRET, isMissing } from "./back-secret";
import { useGuarded } from "@/lib/guarded";
import { useVerb } from "@/lib/queries";
import { Button } from "@/ui/button";
import { Dialog } from "@/ui/dialog";
import { PasswordField } from "@/ui/field";
import { say } from "@eremos/words/page/secrets";

interface WithSecret<A extends readonly unknown[]> {
  readonly run: (...args: A) => void;
  readonly pending: boolean;
  /** The question for the folder's own password, while it is asked. */
  readonly dialog: ReactNode;
}

/** A verb that needs the folder's key: asks for its own password first, where it has one (and `isNeeded`). */
export function useWithSecret<A extends readonly unknown[]>(
  folder: FolderView,
  action: string,
  verb: (secret: FolderSecret | null, ...args: A) => Promise<unknown>,
  isNeeded = folder.hasPassword,
): WithSecret<A> {
  const [asked, setAsked] = useState<A | null>(null);
  const plain = useVerb((...args: A) => verb(null, ...args));
  return {
    run: (...args) => (isNeeded ? setAsked(args) : plain.run(...args)),
    pending: plain.pending,
    dialog: asked && (
      <AskSecret
        folder={folder}
        action={action}
        verb={(secret) => verb(secret, ...asked)}
        onDone={() => setAsked(null)}
      />
    ),
  };
}

interface AskSecretProps {
  readonly folder: FolderView;
  readonly action: string;
  readonly verb: (secret: FolderSecret) => Promise<unknown>;
  readonly onDone: () => void;
}

/** The question for a folder's own password, before what needs it. */
export function AskSecret({ folder, action, verb, onDone }: AskSecretProps): ReactNode {
  const [secret, setSecret] = useState<FolderSecret>({ kind: "password", password: "" });
  const open = useGuarded(verb, onDone);
  return (
    <Dialog
      open
      onOpenChange={(isOpen) => !isOpen && onDone()}
      title={folder.name}
      description={say("this-folder-has-password-its")}
    >
      <form
        className="mt-5 space-y-4"
        onSubmit={(event) => {
          event.preventDefault();
          open.run(secret);
        }}
      >
        <SecretField folder={folder} secret={secret} onSecret={setSecret} problem={open.problem} />
        <div className="flex justify-end gap-2">
          <Button onClick={onDone}>{say("not-now")}</Button>
          <Button tone="dusk" type="submit" disabled={isEmpty(secret) || open.isBlocked}>
            {open.label(action)}
          </Button>
        </div>
      </form>
    </Dialog>
  );
}

export function isEmpty(secret: FolderSecret): boolean {
  return secret.kind === "password" ? secret.password.trim() === "" : isMissing(secret);
}

interface SecretFieldProps {
  readonly folder: FolderView;
  readonly secret: FolderSecret;
  readonly onSecret: (secret: FolderSecret) => void;
  readonly problem: string | null;
}

/** The folder's own password, or in its place the recovery code or keyholders' shares. */
export function SecretField({ folder, secret, onSecret, problem }: SecretFieldProps): ReactNode {
  return (
    <div>
      {secret.kind === "password" ? (
        <PasswordField
          label={say("password-this-folder")}
          autoFocus
          autoComplete="off"
          value={secret.password}
          onChange={(event) => onSecret({ kind: "password", password: event.target.value })}
          problem={problem}
          note={
            folder.passwordHint === null ? say("it-has-no-hint") : say("hint", { passwordHint: folder.passwordHint })
          }
        />
      ) : (
        <BackSecretField autoFocus at={folder.realPath} secret={secret} onSecret={onSecret} problem={problem} />
      )}
      <button
        type="button"
        className="mt-2 text-sm font-medium text-dusk underline underline-offset-4"
        onClick={() => onSecret(secret.kind === "password" ? NO_SECRET : { kind: "password", password: "" })}
      >
        {secret.kind === "password" ? say("i-have-forgotten-it-use") : say("use-folders-password")}
      </button>
    </div>
  );
}
