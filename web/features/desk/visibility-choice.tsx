"use client";
import { RadioGroup } from "radix-ui";
import type { ReactNode } from "react";
import type { Visibility } from "@eremos/server/contract";
import { Doorway } from "@/ui/doorway";

const CHOICES: readonly { readonly value: Visibility; readonly title: string; readonly text: string }[] = [
  { value: "hidden", title: "Hidden in place", text: "Its name is gone from its place. Somebody who shows hidden files sees a folder with a random name; nobody can open it." },
  { value: "view", title: "In view", text: "The folder stays where it is, and holds one page that says it is locked and leads here. Nobody can read what is in it." },
];

interface VisibilityChoiceProps {
  readonly value: Visibility;
  readonly disabled?: boolean;
  readonly onChoose: (visibility: Visibility) => void;
}

export function VisibilityChoice({ value, disabled = false, onChoose }: VisibilityChoiceProps): ReactNode {
  return (
    <RadioGroup.Root value={value} disabled={disabled} onValueChange={(chosen) => onChoose(chosen as Visibility)} aria-label="What shows while it is locked" className="grid gap-2 sm:grid-cols-2">
      {CHOICES.map((choice) => (
        <RadioGroup.Item key={choice.value} value={choice.value} className="flex flex-col items-start gap-1 rounded-xl border border-line bg-sheet p-3.5 text-left disabled:opacity-60 data-[state=checked]:border-dusk data-[state=checked]:shadow-[0_0_0_1px_var(--dusk)]">
          <span className="flex items-center gap-2 font-semibold"><Doorway state={choice.value === "hidden" ? "hidden" : "sealed"} className="h-6 w-5" />{choice.title}</span>
          <span className="text-[13px] text-mute">{choice.text}</span>
        </RadioGroup.Item>
      ))}
    </RadioGroup.Root>
  );
}
