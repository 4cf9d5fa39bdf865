"use client";
import { type ReactNode, useState } from "react";
import { toast } from "sonner";
import type { BackSecret, PasswordChanged, SignedIn } from "@eremos/server/contract";
import { AT_THE_GATE, useNewPassword } from "@/parts/secrets/new-password";
import { BackSecretField, NO_SECRET, isMissing } from "@/parts/secrets/back-secret";
import { api } from "@/lib/api";
import { useCountdown } from "@/lib/countdown";
import { useGuarded } from "@/lib/guarded";
import { Button } from "@/ui/button";
import { say } from "@eremos/words/page/returning";

interface ForgottenProps {
  /** When the next try will be looked at, in milliseconds since the epoch. */
  readonly openAt: number;
  readonly onDone: (signedIn: SignedIn) => void;
  readonly onTried: () => void;
  readonly onBack: () => void;
}

/** Another master password, for whoever has the recovery code, or enough shares. */
export function Forgotten({ openAt, onDone, onTried, onBack }: ForgottenProps): ReactNode {
  const [secret, setSecret] = useState<BackSecret>(NO_SECRET);
  const { chosen, fields } = useNewPassword({
    label: say("new-master-password"),
    hintNote: say("left-empty-one-you-have", { atTheGate: AT_THE_GATE }),
  });
  const wait = useCountdown(openAt);
  const reset = useGuarded(
    () => api.forgotten(secret, chosen.password, chosen.hint).finally(onTried),
    (result) => {
      tellLeft(result.left);
      onDone(result);
    },
  );
  return (
    <form
      className="space-y-5"
      onSubmit={(event) => {
        event.preventDefault();
        reset.run(undefined);
      }}
    >
      <BackSecretField autoFocus secret={secret} onSecret={setSecret} problem={reset.problem} />
      {fields}
      <div className="flex gap-2">
        <Button size="large" onClick={onBack}>
          {say("back")}
        </Button>
        <Button
          tone="dusk"
          size="large"
          type="submit"
          className="flex-1"
          disabled={isMissing(secret) || !chosen.ready || reset.isBlocked || wait > 0}
        >
          {wait > 0 && !reset.isBlocked
            ? say("wait-s", { seconds: Math.ceil(wait / 1000) })
            : reset.label(say("set-it-and-sign-in"))}
        </Button>
      </div>
    </form>
  );
}

function tellLeft(left: PasswordChanged["left"]): void {
  if (left.length === 0) toast.success(say("new-master-password-is-set"));
  else
    toast.warning(say("new-master-password-is-set-out", { left: left.map(({ name }) => name).join(", ") }), {
      duration: 20_000,
    });
}
