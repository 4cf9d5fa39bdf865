"use client";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { toast } from "sonner";
import { ApiError, api } from "@/lib/api";
import { KEYS } from "@/lib/queries";
import { Button } from "@/ui/button";
import { PasswordField } from "@/ui/field";

/** A PIN for a quick way back after the page signed out by itself. */
export function PinSection({ hasPin }: { readonly hasPin: boolean }): ReactNode {
  const client = useQueryClient();
  const [pin, setPin] = useState("");
  const change = useMutation({
    mutationFn: (chosen: string | null) => api.setPin(chosen),
    onSuccess: (_answer, chosen) => {
      setPin("");
      toast(
        chosen === null
          ? "The PIN is gone. An idle sign-out asks for the master password."
          : "The PIN is set, until you sign out or Eremos stops.",
        { duration: 9000 },
      );
    },
    onSettled: () => client.invalidateQueries({ queryKey: KEYS.settings }),
  });
  const problem = change.error
    ? change.error instanceof ApiError
      ? change.error.message
      : "That did not work. Nothing was changed."
    : null;
  return (
    <section aria-labelledby="pin">
      <h2 id="pin" className="text-lg">
        PIN
      </h2>
      <p className="mt-1 text-sm text-mute">
        A few digits that lead back in after the page signed out because nobody touched it. While one is set, such a
        sign-out leaves your keys in this computer&rsquo;s memory. Three wrong ones, signing out yourself, or a stop of
        Eremos wipe keys and PIN; nothing of it is stored.
      </p>
      <form
        className="mt-3 flex flex-wrap items-end gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          change.mutate(pin);
        }}
      >
        <PasswordField
          className="w-64"
          label={hasPin ? "Another PIN" : "PIN for this session"}
          inputMode="numeric"
          autoComplete="off"
          value={pin}
          onChange={(event) => setPin(event.target.value)}
          problem={problem}
        />
        <Button className="mb-1" type="submit" disabled={pin === "" || change.isPending}>
          {hasPin ? "Change it" : "Set it"}
        </Button>
        {hasPin && (
          <Button className="mb-1" disabled={change.isPending} onClick={() => change.mutate(null)}>
            Remove it
          </Button>
        )}
      </form>
    </section>
  );
}
