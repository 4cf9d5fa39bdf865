"use client";
import type { ReactNode } from "react";
import type { TraceKind } from "@eremos/server/contract";
import { KINDS, KIND_WORDS } from "./kinds";
import { say } from "@eremos/words/page/traces";

interface ClearsChoiceProps {
  readonly chosen: readonly TraceKind[];
  readonly disabled: boolean;
  readonly text: string;
  readonly onChange: (chosen: readonly TraceKind[]) => void;
}

/** Which kinds of traces go by themselves after each lock. */
export function ClearsChoice({ chosen, disabled, text, onChange }: ClearsChoiceProps): ReactNode {
  return (
    <fieldset disabled={disabled} className="rounded-xl border border-line bg-sheet px-4 py-3 text-sm">
      <legend className="px-1 font-semibold">{say("clear-by-itself")}</legend>
      <p className="text-[13px] text-mute">{text}</p>
      <div className="mt-2 flex flex-wrap gap-x-5 gap-y-2">
        {KINDS.map((kind) => (
          <label key={kind} className="flex items-center gap-2">
            <input
              type="checkbox"
              checked={chosen.includes(kind)}
              onChange={(event) =>
                onChange(KINDS.filter((one) => (one === kind ? event.target.checked : chosen.includes(one))))
              }
            />
            {KIND_WORDS[kind].name}
          </label>
        ))}
      </div>
    </fieldset>
  );
}
