import type { ReactNode } from "react";
import { cn } from "@/lib/cn";

interface TickProps {
  readonly label: ReactNode;
  readonly value: boolean;
  readonly onChange: (value: boolean) => void;
  readonly className?: string;
}

/** Something that is so or not, with all that is said of it as its label. */
export function Tick({ label, value, onChange, className }: TickProps): ReactNode {
  return (
    <label className={cn("flex items-start gap-2.5 text-sm", className)}>
      <input
        type="checkbox"
        checked={value}
        onChange={(event) => onChange(event.target.checked)}
        className="mt-1 accent-dusk"
      />
      <span>{label}</span>
    </label>
  );
}
