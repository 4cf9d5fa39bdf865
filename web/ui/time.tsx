import type { ReactNode } from "react";
import { ago, exactTime } from "@/lib/format";

/** A relative time, with the exact one on hover. */
export function Time({ at }: { readonly at: number }): ReactNode {
  return (
    <time dateTime={new Date(at).toISOString()} title={exactTime(at)}>
      {ago(at)}
    </time>
  );
}
