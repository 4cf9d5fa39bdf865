"use client";
import { type ReactNode, useState } from "react";
import { CLEARED_KINDS, type ClearedKind, KIND_WORDS } from "./kinds";
import { say } from "@eremos/words/page/traces";

interface ClearsChoiceProps {
  readonly chosen: readonly ClearedKind[];
  readonly disabled: boolean;
  readonly text: string;
  readonly onChange: (chosen: readonly ClearedKind[]) => void;
}

/** Which kinds of traces go by themselves after each lock. */
export function ClearsChoice({ chosen, disabled, text, onChange }: ClearsChoiceProps): ReactNode {
  // What was just ticked stays ticked while it is being saved.
  const [asked, setAsked] = useState<readonly ClearedKind[] | null>(null);
  const shown = disabled && asked ? asked : chosen;
  const choose = (kind: ClearedKind, isChosen: boolean): void => {
    const kinds = CLEARED_KINDS.filter((one) => (one === kind ? isChosen : shown.includes(one)));
    setAsked(kinds);
    onChange(kinds);
  };
  return (
    <fieldset disabled={disabled} className="rounded-xl border border-line bg-sheet px-4 py-3 text-sm">
      <legend className="px-1 font-semibold">{say("clear-by-itself")}</legend>
      <p className="text-[13px] text-mute">{text}</p>
      <div className="mt-2 flex flex-wrap gap-x-5 gap-y-2">
        {CLEARED_KINDS.map((kind) => (
          <label key={kind} className="flex items-center gap-2">
            <input
              type="checkbox"
              checked={shown.includes(kind)}
              onChange={(event) => choose(kind, event.target.checked)}
            />
            {KIND_WORDS[kind].name}
          </label>
        ))}
      </div>
    </fieldset>
  );
}
