"use client";
import { useMutation } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import type { SignedIn } from "@eremos/server/contract";
import { ApiError, api } from "@/lib/api";
import { Button } from "@/ui/button";
import { PasswordField } from "@/ui/field";

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
      : "That did not work. Nothing was changed."
    : null;
  return (
    <>
      <p className="mt-2 text-mute">You were signed out because nobody touched the page. Your PIN leads back in.</p>
      <form
        className="mt-7 space-y-4"
        onSubmit={(event) => {
          event.preventDefault();
          back.mutate();
        }}
      >
        <PasswordField
          label="PIN"
          autoFocus
          inputMode="numeric"
          autoComplete="off"
          value={pin}
          onChange={(event) => setPin(event.target.value)}
          problem={problem}
        />
        <Button tone="dusk" size="large" type="submit" className="w-full" disabled={pin === "" || back.isPending}>
          Go on
        </Button>
        <Button tone="quiet" className="w-full" onClick={onPassword}>
          Use the master password instead
        </Button>
      </form>
    </>
  );
}
