import type { ReactNode } from "react";
import type { LockingRules } from "@eremos/server/contract";
import { say } from "@eremos/words/page/removing";

type Overwrites = LockingRules["overwrites"];

/** What becomes of the readable copy at a lock, in the order of how much is done. */
export const OVERWRITES_WORDS = [
  ["0", say("is-removed")],
  ["1", say("is-overwritten-once")],
  ["3", say("is-overwritten-three")],
] as const;

export function overwritesOf(chosen: (typeof OVERWRITES_WORDS)[number][0]): Overwrites {
  return chosen === "3" ? 3 : chosen === "1" ? 1 : 0;
}

interface PassesProps {
  readonly passes: 1 | 3;
  readonly onPasses: (passes: 1 | 3) => void;
}

/** How often something is written over. */
export function Passes({ passes, onPasses }: PassesProps): ReactNode {
  return (
    <fieldset className="text-sm">
      <legend className="mb-1.5 font-semibold">{say("passes")}</legend>
      <div className="flex gap-5">
        {([1, 3] as const).map((one) => (
          <label key={one} className="flex items-center gap-2">
            <input type="radio" name="passes" checked={passes === one} onChange={() => onPasses(one)} />
            {one === 1 ? say("once") : say("three-times")}
          </label>
        ))}
      </div>
      <p className="mt-1 text-[13px] text-mute">{say("once-is-enough")}</p>
    </fieldset>
  );
}
