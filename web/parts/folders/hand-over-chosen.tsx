"use client";
import { PackageOpen } from "lucide-react";
import { useRouter } from "next/navigation";
import { type ReactNode, useState } from "react";
import { useSelection } from "./selection";
import { api } from "@/lib/api";
import { useFolders, useVerb } from "@/lib/queries";
import { Button } from "@/ui/button";
import { Confirm } from "@/ui/dialog";
import { say } from "@eremos/words/page/visit";

/** A package of what is chosen: made of the locked folder, so that the visit ends first. */
export function HandOverChosen({
  folder,
  hrefs,
}: {
  readonly folder: string;
  readonly hrefs: readonly string[];
}): ReactNode {
  const router = useRouter();
  const { handOver } = useSelection();
  const path = useFolders()?.find(({ id }) => id === folder)?.path;
  const [isAsking, setAsking] = useState(false);
  const go = useVerb(async () => {
    if (path === undefined) return;
    handOver({ path, hrefs });
    router.push("/hand-over");
    await api.endVisit(folder);
  });
  return (
    <>
      <Button size="small" disabled={path === undefined || go.pending} onClick={() => setAsking(true)}>
        <PackageOpen className="size-4" aria-hidden />
        {say("hand-over")}
      </Button>
      <Confirm
        open={isAsking}
        onOpenChange={setAsking}
        title={say("hand-over-title")}
        tone="dusk"
        action={say("end-and-go-on")}
        onConfirm={() => go.run()}
      >
        <p>{say("hand-over-ends-visit")}</p>
      </Confirm>
    </>
  );
}
