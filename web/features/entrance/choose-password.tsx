"use client";
import type { ReactNode } from "react";
import { AT_THE_GATE, useNewPassword } from "@/parts/secrets/new-password";
import { Button } from "@/ui/button";
import { say } from "@eremos/words/page/entrance";

interface ChoosePasswordProps {
  readonly pending: boolean;
  readonly problem: string | null;
  readonly onChosen: (password: string, hint: string | null) => void;
}

export function ChoosePassword({ pending, problem, onChosen }: ChoosePasswordProps): ReactNode {
  const { chosen, fields } = useNewPassword({ label: say("master-password"), hintNote: AT_THE_GATE, autoFocus: true });
  return (
    <form
      className="space-y-5"
      onSubmit={(event) => {
        event.preventDefault();
        onChosen(chosen.password, chosen.hint);
      }}
    >
      <div>
        <h1 className="text-3xl">{say("choose-your-master-password")}</h1>
        <p className="mt-2 text-mute">{say("four-or-five-unrelated-words")}</p>
      </div>
      {fields}
      {problem && (
        <p role="alert" className="rounded-lg bg-oxblood-soft px-3 py-2 text-sm text-oxblood">
          {problem}
        </p>
      )}
      <Button tone="dusk" size="large" type="submit" className="w-full" disabled={!chosen.ready || pending}>
        {pending ? say("one-moment") : say("continue-recovery-code")}
      </Button>
    </form>
  );
}
