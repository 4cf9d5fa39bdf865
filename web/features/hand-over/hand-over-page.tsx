"use client";
import { type ReactNode, useState } from "react";
import { useSelection } from "@/parts/folders/selection";
import { HandedList } from "./handed-list";
import { Made } from "./made";
import { MakePackage, type Making } from "./make-package";
import { ReceivePackage } from "./receive-package";
import { say } from "@eremos/words/page/hand-over";

const NOTHING = { path: "", hrefs: null };

/** Packages for somebody else, and those of others. */
export function HandOverPage(): ReactNode {
  const { handing, handOver } = useSelection();
  const [made, setMade] = useState<Making | null>(null);
  const another = (): void => {
    handOver(null);
    setMade(null);
  };
  return (
    <main className="h-full overflow-y-auto px-6 py-6 lg:px-10">
      <div className="max-w-[820px] pb-10">
        <h1 className="text-2xl">{say("hand-over")}</h1>
        <p className="mt-1 mb-6 text-mute">{say("what-hand-over-is")}</p>
        {made ? (
          <Made making={made} onAnother={another} />
        ) : (
          <MakePackage key={JSON.stringify(handing)} begins={handing ?? NOTHING} onMade={setMade} />
        )}
        <ReceivePackage />
        <HandedList />
      </div>
    </main>
  );
}
