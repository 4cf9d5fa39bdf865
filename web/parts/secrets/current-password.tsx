"use client";
import { type ReactNode, useState } from "react";
import type { Guarded } from "@/lib/guarded";
import { Button } from "@/ui/button";
import { PasswordField } from "@/ui/field";
import { say } from "@eremos/words/page/secrets";

interface CurrentPasswordProps {
  readonly action: string;
  readonly verb: Guarded<string>;
  readonly onCancel: () => void;
}

/** Asks for the present master password before something is done that only its owner may. */
export function CurrentPassword({ action, verb, onCancel }: CurrentPasswordProps): ReactNode {
  const [current, setCurrent] = useState("");
  return (
    <form
      className="mt-5 space-y-4"
      onSubmit={(event) => {
        event.preventDefault();
        verb.run(current);
      }}
    >
      <PasswordField
        label={say("present-master-password")}
        autoFocus
        autoComplete="current-password"
        value={current}
        onChange={(event) => setCurrent(event.target.value)}
        problem={verb.problem}
      />
      <div className="flex justify-end gap-2">
        <Button onClick={onCancel}>{say("not-now")}</Button>
        <Button tone="dusk" type="submit" disabled={current === "" || verb.isBlocked}>
          {verb.label(action)}
        </Button>
      </div>
    </form>
  );
}
