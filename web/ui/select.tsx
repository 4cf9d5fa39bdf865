import { type ReactNode, useId } from "react";
import { cn } from "@/lib/cn";
import { SmallLabel } from "./small-label";

interface SelectProps<T extends string> {
  readonly label: string;
  readonly value: T;
  readonly choices: readonly (readonly [T, string])[];
  readonly onChoose: (value: T) => void;
  readonly disabled?: boolean;
  readonly className?: string;
}

/** One of many, by its name. */
export function Select<T extends string>({
  label,
  value,
  choices,
  onChoose,
  disabled = false,
  className,
}: SelectProps<T>): ReactNode {
  const id = useId();
  return (
    <div className={cn("min-w-0", className)}>
      <SmallLabel of={id}>{label}</SmallLabel>
      <select
        id={id}
        value={value}
        disabled={disabled}
        onChange={(event) => onChoose(event.target.value as T)}
        className="h-9 w-full min-w-0 rounded-lg border border-line bg-sheet px-2.5 text-sm"
      >
        {choices.map(([one, name]) => (
          <option key={one} value={one}>
            {name}
          </option>
        ))}
      </select>
    </div>
  );
}
