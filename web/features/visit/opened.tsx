"use client";
import Link from "next/link";
import { type ReactNode, useState } from "react";
import type { VisitView } from "@eremos/server/contract";
import { api } from "@/lib/api";
import { useVerb } from "@/lib/queries";
import { Tick } from "@/ui/tick";
import { say } from "@eremos/words/page/visit";

/** What the desktop's programs have open off the drive, and whether the visit ends with them. */
export function Opened({ visit }: { readonly visit: VisitView }): ReactNode {
  const [ends, setEnds] = useState(visit.endsWithPrograms);
  const set = useVerb((on: boolean) => api.setEndsWithPrograms(visit.folder, on));
  const { opened } = visit;
  if (opened.length === 0) return null;
  const namesOf = (some: VisitView["opened"]): string => some.map(({ name }) => name).join(", ");
  const unknown = opened.filter(({ program }) => program === "unknown");
  return (
    <div className="flex flex-wrap items-center gap-x-6 gap-y-1 border-b border-line bg-dusk-soft px-6 py-2 text-sm">
      <div className="min-w-0 flex-1 basis-80">
        <p className="break-words" role="status">
          {say("is-open-in-a-program", { count: opened.length, names: namesOf(opened) })}
          {unknown.length > 0 && <> {say("its-end-cant-be-told", { names: namesOf(unknown) })}</>}
        </p>
        <p className="text-[13px] text-mute">
          {say("a-program-may-keep-of-it")}{" "}
          <Link href="/traces" className="font-medium text-dusk underline underline-offset-4">
            {say("traces-looks-there")}
          </Link>
        </p>
      </div>
      {unknown.length === 0 && (
        <Tick
          label={say("end-with-programs")}
          value={ends}
          onChange={(on) => {
            setEnds(on);
            set.run(on);
          }}
        />
      )}
    </div>
  );
}
