import type { ReactNode } from "react";
import { cn } from "@/lib/cn";

export type DoorwayState =
  "sealed" | "barred" | "sight" | "hidden" | "open" | "attention" | "working" | "away" | "ordinary";

const COLOURS: Readonly<Record<DoorwayState, string>> = {
  sealed: "text-dusk",
  barred: "text-dusk",
  sight: "text-dusk",
  hidden: "text-dusk",
  open: "text-clay",
  attention: "text-ochre",
  working: "text-mute",
  away: "text-mute",
  ordinary: "text-line-strong",
};

const ARCH = "M4 22V10.5a6 6 0 0 1 12 0V22z";

const DASHED = <path d={ARCH} strokeDasharray="2.2 2.4" />;
const DRAWINGS: Readonly<Record<DoorwayState, ReactNode>> = {
  sealed: <path d={ARCH} fill="currentColor" />,
  barred: withArch(<path d="M8 22V8M12 22V8M4 15h12" strokeWidth="1.3" />),
  sight: DASHED,
  hidden: DASHED,
  away: DASHED,
  ordinary: <path d={ARCH} />,
  working: withArch(<path d="M4 22v-6h12v6z" fill="currentColor" stroke="none" />),
  open: withArch(<path d="M7 22V11.5L13 9.5V22z" fill="currentColor" stroke="none" />),
  attention: withArch(<path d="M11 5.5 8.5 11l3.5 3-2.5 8" />),
};

function withArch(inside: ReactNode): ReactNode {
  return (
    <>
      <path d={ARCH} />
      {inside}
    </>
  );
}

/** The state of a folder as a doorway. Always beside the word. */
export function Doorway({
  state,
  className,
}: {
  readonly state: DoorwayState;
  readonly className?: string;
}): ReactNode {
  return (
    <svg
      viewBox="0 0 20 25"
      className={cn("h-7 w-[22px] shrink-0", COLOURS[state], className)}
      fill="none"
      stroke="currentColor"
      strokeWidth="1.7"
      strokeLinejoin="round"
      aria-hidden="true"
    >
      {DRAWINGS[state]}
    </svg>
  );
}
