"use client";
import { useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { toast } from "sonner";
import type { BackSecret, FoundFolder, TakeInSecret } from "@eremos/server/contract";
import { BackSecretField, NO_SECRET, isMissing } from "@/parts/secrets/back-secret";
import { ApiError, api } from "@/lib/api";
import { useGuarded } from "@/lib/guarded";
import { KEYS, useVerb } from "@/lib/queries";
import { Button } from "@/ui/button";
import { Dialog } from "@/ui/dialog";
import { PasswordField } from "@/ui/field";

/**
 * Brings a folder that was found into the list. One of another Eremos, or with a password of its own, asks for what
 * opens it.
 */
export function TakeIn({ found }: { readonly found: FoundFolder }): ReactNode {
  const [isAsking, setAsking] = useState(false);
  const client = useQueryClient();
  const done = (): void => {
    setAsking(false);
    toast.success("It is in your list, as it was.");
    for (const queryKey of [KEYS.scan, KEYS.folders]) void client.invalidateQueries({ queryKey });
  };
  const plain = useVerb(async () => {
    await api.takeIn(found.path, null);
    done();
  });
  const { relation } = found;
  if (relation !== "moved" && relation !== "lost" && relation !== "another-owner") return null;
  const needsSecret = relation === "another-owner" || found.hasPassword;
  return (
    <>
      <Button
        size="small"
        tone="dusk"
        disabled={plain.pending}
        onClick={() => (needsSecret ? setAsking(true) : plain.run())}
      >
        {needsSecret ? "Take it in…" : "Take it in"}
      </Button>
      <Dialog open={isAsking} onOpenChange={setAsking} title="What opens it" description={found.path}>
        <Ask found={found} onDone={done} onBack={() => setAsking(false)} />
      </Dialog>
    </>
  );
}

function Ask({
  found,
  onDone,
  onBack,
}: {
  readonly found: FoundFolder;
  readonly onDone: () => void;
  readonly onBack: () => void;
}): ReactNode {
  const isOthers = found.relation === "another-owner";
  /** Null: by passwords. */
  const [back, setBack] = useState<BackSecret | null>(null);
  const [master, setMaster] = useState("");
  const [own, setOwn] = useState("");
  const secret: TakeInSecret = back ?? {
    kind: "password",
    password: master,
    folderPassword: found.hasPassword ? own : null,
  };
  const [accept, setAccept] = useState<readonly "costly"[]>([]);
  const take = useGuarded(
    () =>
      api.takeIn(found.path, secret, accept).catch((error: unknown) => {
        if (error instanceof ApiError && error.code === "costly") setAccept(["costly"]);
        throw error;
      }),
    onDone,
  );
  const isReady = back ? !isMissing(back) : (!isOthers || master !== "") && (!found.hasPassword || own !== "");
  return (
    <form
      className="mt-5 space-y-4"
      onSubmit={(event) => {
        event.preventDefault();
        take.run(undefined);
      }}
    >
      {back ? (
        <BackSecretField autoFocus at={found.path} secret={back} onSecret={setBack} problem={take.problem} />
      ) : (
        <Passwords
          found={found}
          isOthers={isOthers}
          master={master}
          own={own}
          onMaster={setMaster}
          onOwn={setOwn}
          problem={take.problem}
        />
      )}
      <button
        type="button"
        className="text-sm font-medium text-dusk underline underline-offset-4"
        onClick={() => setBack(back ? null : NO_SECRET)}
      >
        {back ? "Use the password" : "Use the recovery code or shares instead"}
      </button>
      <p className="text-[13px] text-mute">
        {isOthers
          ? "From then on it opens with your own master password. Its contents stay as they are, and so does whether it is locked. Whoever locked it before can still open it: if that was somebody else, release it and lock it anew."
          : "It stays as it is, in your list again."}
      </p>
      <div className="flex justify-end gap-2">
        <Button onClick={onBack}>Not now</Button>
        <Button tone="dusk" type="submit" disabled={!isReady || take.isBlocked}>
          {take.label(accept.length > 0 ? "Take it in all the same" : "Take it in")}
        </Button>
      </div>
    </form>
  );
}

interface PasswordsProps {
  readonly found: FoundFolder;
  /** Another owner locked it. */
  readonly isOthers: boolean;
  readonly master: string;
  readonly own: string;
  readonly onMaster: (password: string) => void;
  readonly onOwn: (password: string) => void;
  readonly problem: string | null;
}

function Passwords({ found, isOthers, master, own, onMaster, onOwn, problem }: PasswordsProps): ReactNode {
  return (
    <>
      {isOthers && (
        <PasswordField
          label="Master password it was locked with"
          autoFocus
          autoComplete="off"
          value={master}
          onChange={(event) => onMaster(event.target.value)}
          problem={problem}
        />
      )}
      {found.hasPassword && (
        <PasswordField
          label="Password of this folder"
          autoFocus={!isOthers}
          autoComplete="off"
          value={own}
          onChange={(event) => onOwn(event.target.value)}
          problem={isOthers ? null : problem}
          note={found.hint === null ? "It has no hint." : `Hint: ${found.hint}`}
        />
      )}
    </>
  );
}
