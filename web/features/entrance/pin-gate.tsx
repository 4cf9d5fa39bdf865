"use client";
import { useMutation } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import type { SignedIn } from "@eremos/server/contract";
import { ApiError, api } from "@/lib/api";
import { Button } from "@/ui/button";
import { PasswordField } from "@/ui/field";
import { say } from "@eremos/words/page/entrance";

interface PinGateProps {
  readonly onSignedIn: (signedIn: SignedIn) => void;
  /** The PIN is no way back any more, or another way is wanted. */
  readonly onPassword: () => void;
  readonly onTried: () => void;
}

/** The quick way back after the page signed out by itself. */
export function PinGate({ onSignedIn, onPassword, onTried }: PinGateProps): ReactNode {
  const [pin, setPin] = useState("");
  const back = useMutation({
    mutationFn: () => api.returnWithPin(pin),
    onSuccess: onSignedIn,
    onError: () => {
      setPin("");
      onTried();
    },
  });
  const problem = back.error
    ? back.error instanceof ApiError
      ? back.error.message
      : say("that-did-not-work-nothing-was")
    : null;
  return (
    <>
      <p className="mt-2 text-mute">{say("you-were-signed-out-because")}</p>
      <form
        className="mt-7 space-y-4"
        onSubmit={(event) => {
          event.preventDefault();
          back.mutate();
        }}
      >
        <PasswordField
          label={say("pin")}
          autoFocus
          inputMode="numeric"
          autoComplete="off"
          value={pin}
          onChange={(event) => setPin(event.target.value)}
          problem={problem}
        />
        <Button tone="dusk" size="large" type="submit" className="w-full" disabled={pin === "" || back.isPending}>
          {say("go-on")}
        </Button>
        <Button tone="quiet" className="w-full" onClick={onPassword}>
          {say("use-master-password-instead")}
        </Button>
      </form>
    </>
  );
}
