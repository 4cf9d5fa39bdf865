"use client";
import { Progress } from "radix-ui";
import type { ReactNode } from "react";

export function ProgressBar({ part, label }: { readonly part: number | null; readonly label: string }): ReactNode {
  const value = part === null ? null : Math.round(part * 100);
  return (
    <Progress.Root value={value} aria-label={label} className="h-1.5 w-full overflow-hidden rounded-full bg-dusk-soft">
      {value === null ? (
        <Progress.Indicator className="h-full w-1/3 animate-pulse rounded-full bg-dusk" />
      ) : (
        <Progress.Indicator
          className="h-full rounded-full bg-dusk transition-[width] duration-200"
          style={{ width: `${value}%` }}
        />
      )}
    </Progress.Root>
  );
}
