"use client";
import { type ReactNode, useState } from "react";
import { Button } from "@/ui/button";
import { Field } from "@/ui/field";
import { say } from "@eremos/words/page/secrets";

interface ProveCodeProps {
  readonly ask: readonly number[];
  readonly pending: boolean;
  readonly problem: string | null;
  readonly onBack: () => void;
  readonly onTyped: (groups: readonly string[]) => void;
}

export const PROVE_CODE = {
  title: say("is-it-really-on-paper"),
  text: say("type-two-groups-from-your"),
};

export function ProveCode({ ask, pending, problem, onBack, onTyped }: ProveCodeProps): ReactNode {
  const [typed, setTyped] = useState<readonly string[]>(() => ask.map(() => ""));
  const whole = typed.every((group) => group.replace(/[^0-9A-Za-z]/g, "").length === 5);
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        onTyped(typed);
      }}
    >
      <div className="my-6 grid grid-cols-2 gap-3">
        {ask.map((group, i) => (
          <Field
            key={group}
            label={say("group", { group: group + 1 })}
            autoFocus={i === 0}
            autoComplete="off"
            spellCheck={false}
            maxLength={8}
            className="[&_input]:font-mono [&_input]:text-lg [&_input]:uppercase"
            value={typed[i] ?? ""}
            onChange={(event) => setTyped(typed.map((old, j) => (j === i ? event.target.value : old)))}
          />
        ))}
      </div>
      {problem && (
        <p role="alert" className="mb-4 rounded-lg bg-oxblood-soft px-3 py-2 text-sm text-oxblood">
          {problem}
        </p>
      )}
      <div className="flex gap-2">
        <Button size="large" onClick={onBack}>
          {say("show-code-again")}
        </Button>
        <Button tone="dusk" size="large" type="submit" className="flex-1" disabled={!whole || pending}>
          {pending ? say("making-your-keys") : say("finish")}
        </Button>
      </div>
    </form>
  );
}
