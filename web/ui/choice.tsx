"use client";
import { RadioGroup } from "radix-ui";
import type { ReactNode } from "react";
import { cn } from "@/lib/cn";

interface Choice<T extends string> {
  readonly value: T;
  readonly title: string;
  readonly text: string;
  readonly sign?: ReactNode;
  /** Why it can't be chosen now; said in place of the text. */
  readonly unavailable?: string | null;
}

interface ChoicesProps<T extends string> {
  readonly label: string;
  readonly choices: readonly Choice<T>[];
  readonly value: T | null;
  readonly columns: "two" | "three";
  readonly disabled?: boolean;
  readonly onChoose: (value: T) => void;
}

/** One of a few, each explained on its card. */
export function Choices<T extends string>({
  label,
  choices,
  value,
  columns,
  disabled = false,
  onChoose,
}: ChoicesProps<T>): ReactNode {
  return (
    <RadioGroup.Root
      value={value ?? ""}
      disabled={disabled}
      onValueChange={(chosen) => onChoose(chosen as T)}
      aria-label={label}
      className={cn("grid gap-2", columns === "two" ? "sm:grid-cols-2" : "sm:grid-cols-3")}
    >
      {choices.map((choice) => (
        <RadioGroup.Item
          key={choice.value}
          value={choice.value}
          disabled={disabled || Boolean(choice.unavailable)}
          className="flex flex-col items-start gap-1 rounded-xl border border-line bg-sheet p-3 text-left disabled:opacity-70 data-[state=checked]:border-dusk data-[state=checked]:shadow-[0_0_0_1px_var(--dusk)]"
        >
          <span className="flex items-center gap-2 text-[14.5px] font-semibold">
            {choice.sign}
            {choice.title}
          </span>
          <span className="text-[13px] text-mute">{choice.unavailable ?? choice.text}</span>
        </RadioGroup.Item>
      ))}
    </RadioGroup.Root>
  );
}
