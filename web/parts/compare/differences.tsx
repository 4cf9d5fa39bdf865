import type { ReactNode } from "react";
import type { VisitEntry } from "@eremos/server/contract";
import { Button } from "@/ui/button";
import { say } from "@eremos/words/page/compare";

const WORDS = { added: "came", changed: "changed", removed: "went" } as const;

interface DifferencesProps {
  readonly entries: readonly VisitEntry[];
  readonly isCut: boolean;
  readonly disabled: boolean;
  /** Null: everything. */
  readonly onPutBack: (entries: readonly VisitEntry[] | null) => void;
}

/** What came, changed and went since an earlier state, each with its way back, and the way back for all. */
export function Differences({ entries, isCut, disabled, onPutBack }: DifferencesProps): ReactNode {
  if (entries.length === 0) return <p className="text-sm text-mute">{say("nothing-is-different-since")}</p>;
  return (
    <>
      <ul className="max-h-72 divide-y divide-line/60 overflow-y-auto rounded-xl border border-line bg-sheet px-4 text-sm">
        {entries.map((entry) => (
          <li key={entry.href} className="flex items-center gap-3 py-1.5">
            <span className="w-16 shrink-0 text-[13px] text-mute">{WORDS[entry.change ?? "changed"]}</span>
            <span className="min-w-0 flex-1 truncate" title={entry.name}>
              {entry.name}
            </span>
            <Button size="small" disabled={disabled} onClick={() => onPutBack([entry])}>
              {entry.change === "added" ? say("take-it-away") : say("put-it-back")}
            </Button>
          </li>
        ))}
      </ul>
      {isCut && <p className="text-[13px] text-mute">{say("there-are-more")}</p>}
      <div className="flex justify-end">
        <Button tone="dusk" disabled={disabled} onClick={() => onPutBack(null)}>
          {say("put-everything-back-as-it")}
        </Button>
      </div>
    </>
  );
}
