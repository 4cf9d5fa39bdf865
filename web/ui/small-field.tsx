import { type InputHTMLAttributes, type ReactNode, useId } from "react";
import { cn } from "@/lib/cn";
import { SmallLabel } from "./small-label";

interface SmallFieldProps extends Omit<InputHTMLAttributes<HTMLInputElement>, "onChange"> {
  readonly label: string;
  readonly onChange: (value: string) => void;
}

/** Something to type beside choices ({@link Select}), and as small as they are. */
export function SmallField({ label, onChange, className, ...rest }: SmallFieldProps): ReactNode {
  const id = useId();
  return (
    <div className={cn("min-w-0", className)}>
      <SmallLabel of={id}>{label}</SmallLabel>
      <input
        id={id}
        onChange={(event) => onChange(event.target.value)}
        className="h-9 w-full rounded-lg border border-line bg-sheet px-2.5 text-sm"
        {...rest}
      />
    </div>
  );
}
