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
import { say } from "@eremos/words/page/ways-back";

/**
 * Brings a folder that was found into the list. One of another Eremos, or with a password of its own, asks for what
 * opens it.
 */
export function TakeIn({ found }: { readonly found: FoundFolder }): ReactNode {
  const [isAsking, setAsking] = useState(false);
  const client = useQueryClient();
  const done = (): void => {
    setAsking(false);
    toast.success(say("it-is-in-your-list"));
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
        {needsSecret ? say("take-it-in") : say("take-it-in-2")}
      </Button>
      <Dialog open={isAsking} onOpenChange={setAsking} title={say("what-opens-it")} description={found.path}>
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
        {back ? say("use-password") : say("use-recovery-code-or-shares")}
      </button>
      <p className="text-[13px] text-mute">{isOthers ? say("from-then-on-it-opens") : say("it-stays-as-it-is")}</p>
      <div className="flex justify-end gap-2">
        <Button onClick={onBack}>{say("not-now")}</Button>
        <Button tone="dusk" type="submit" disabled={!isReady || take.isBlocked}>
          {take.label(accept.length > 0 ? say("take-it-in-all-same") : say("take-it-in-2"))}
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
          label={say("master-password-it-was-locked")}
          autoFocus
          autoComplete="off"
          value={master}
          onChange={(event) => onMaster(event.target.value)}
          problem={problem}
        />
      )}
      {found.hasPassword && (
        <PasswordField
          label={say("password-this-folder")}
          autoFocus={!isOthers}
          autoComplete="off"
          value={own}
          onChange={(event) => onOwn(event.target.value)}
          problem={isOthers ? null : problem}
          note={found.hint === null ? say("it-has-no-hint") : say("hint", { hint: found.hint })}
        />
      )}
    </>
  );
}
