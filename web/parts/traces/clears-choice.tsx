"use client";
import { type ReactNode, useEffect, useState } from "react";
import { CLEARED_BY_ITSELF } from "@eremos/core/choices";
import type { LockingRules } from "@eremos/server/contract";
import { KIND_WORDS } from "./kinds";
import { say } from "@eremos/words/page/traces";

type Cleared = LockingRules["clears"][number];

interface ClearsChoiceProps {
  readonly chosen: readonly Cleared[];
  readonly disabled: boolean;
  readonly text: string;
  readonly onChange: (chosen: readonly Cleared[]) => void;
}

/** Which kinds of traces go by themselves after each lock. */
export function ClearsChoice({ chosen, disabled, text, onChange }: ClearsChoiceProps): ReactNode {
  // What was just ticked stays ticked while it is being saved.
  const [asked, setAsked] = useState<readonly Cleared[] | null>(null);
  useEffect(() => {
    if (!disabled) setAsked(null);
  }, [disabled, chosen]);
  const shown = asked ?? chosen;
  const choose = (kind: Cleared, isChosen: boolean): void => {
    const kinds = CLEARED_BY_ITSELF.filter((one) => (one === kind ? isChosen : shown.includes(one)));
    setAsked(kinds);
    onChange(kinds);
  };
  return (
    <fieldset disabled={disabled} className="rounded-xl border border-line bg-sheet px-4 py-3 text-sm">
      <legend className="px-1 font-semibold">{say("clear-by-itself")}</legend>
      <p className="text-[13px] text-mute">{text}</p>
      <div className="mt-2 flex flex-wrap gap-x-5 gap-y-2">
        {CLEARED_BY_ITSELF.map((kind) => (
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
