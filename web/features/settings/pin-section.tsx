"use client";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { toast } from "sonner";
import { ApiError, api } from "@/lib/api";
import { KEYS } from "@/lib/queries";
import { Button } from "@/ui/button";
import { PasswordField } from "@/ui/field";
import { say } from "@eremos/words/page/settings";

/** A PIN for a quick way back after the page signed out by itself. */
export function PinSection({ hasPin }: { readonly hasPin: boolean }): ReactNode {
  const client = useQueryClient();
  const [pin, setPin] = useState("");
  const change = useMutation({
    mutationFn: (chosen: string | null) => api.setPin(chosen),
    onSuccess: (_answer, chosen) => {
      setPin("");
      toast(chosen === null ? say("pin-is-gone-idle-sign") : say("pin-is-set-until-you"), { duration: 9000 });
    },
    onSettled: () => client.invalidateQueries({ queryKey: KEYS.settings }),
  });
  const problem = change.error
    ? change.error instanceof ApiError
      ? change.error.message
      : say("that-did-not-work-nothing")
    : null;
  return (
    <section aria-labelledby="pin">
      <h2 id="pin" className="text-lg">
        {say("pin")}
      </h2>
      <p className="mt-1 text-sm text-mute">{say("few-digits-that-lead-back")}</p>
      <form
        className="mt-3 flex flex-wrap items-end gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          change.mutate(pin);
        }}
      >
        <PasswordField
          className="w-64"
          label={hasPin ? say("another-pin") : say("pin-for-this-session")}
          inputMode="numeric"
          autoComplete="off"
          value={pin}
          onChange={(event) => setPin(event.target.value)}
          problem={problem}
        />
        <Button className="mb-1" type="submit" disabled={pin === "" || change.isPending}>
          {hasPin ? say("change-it-2") : say("set-it")}
        </Button>
        {hasPin && (
          <Button className="mb-1" disabled={change.isPending} onClick={() => change.mutate(null)}>
            {say("remove-it")}
          </Button>
        )}
      </form>
    </section>
  );
}
